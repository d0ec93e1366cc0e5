"""Bringing a copy back in the place of a register; what stood there is set aside beside it, never deleted."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from bathyx.register.errors import RegisterError
from bathyx.register.ledger.chain import Head
from bathyx.register.ledger.heads import HeadsFile
from bathyx.register.ledger.keys import ShopKey
from bathyx.register.ledger.register import Register
from bathyx.register.opening.copies import copy_file, set_aside
from bathyx.register.opening.making import making


@dataclass(frozen=True)
class Restored:
    """What bringing a copy back did."""

    head: Head
    was: Head | None
    aside: Path | None


def restore(copy: Path, register: Path, key: ShopKey | None = None) -> Restored:
    """Put `copy` in the register's place; heads of its own past, and what tells of earlier copies, stay noted beside it.

    RegisterError when the copy itself does not hold; then nothing is changed.

    Args:
        copy: the copy.
        register: the place.
        key: the shop's key, which signs the head that is noted.
    """
    if not copy.is_file():
        raise RegisterError(f"no copy at {copy}")
    if register.exists() and copy.samefile(register):
        raise RegisterError(f"{copy} is the register itself")
    with tempfile.TemporaryDirectory(prefix="bathyx-copy-") as folder:
        trial = copy_file(copy, Path(folder) / "copy.sqlite")
        opened = Register(trial)
        broken, head = opened.verify(), opened.head()
        noted = HeadsFile(register.with_name(register.name + ".heads")).lines()
        past = [line for line in noted if line["count"] <= head.count and "restored_from" not in line]
        ours = all(opened.hash_of(line["count"]) == line["hash"] for line in past)
        opened.close()
        carried = [line for line in noted if "restored_from" in line or (ours and line in past)]
        if broken:
            raise RegisterError(f"the copy itself does not hold: {broken[0].reason}; nothing was changed", "damaged")
        with making(register.parent, register.name):
            whole = copy_file(trial, register.with_name(f".{register.name}.coming.part"))
            heads = HeadsFile(register.with_name(register.name + ".heads"))
            was = heads.last
            aside = set_aside(register)
            whole.replace(register)
            at = datetime.now().astimezone().isoformat(timespec="seconds")
            heads.carry(carried)
            heads.note(head, at, key, restored_from=copy.name, was=str(was or ""))
    return Restored(head, was, aside)
