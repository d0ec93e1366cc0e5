"""Commands about records: check the chain, copy a register, bring a copy back, make the shop's key, check a paper."""

from __future__ import annotations

import argparse
import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from bathyx.cli.errors import CommandError, data_home

if TYPE_CHECKING:
    from bathyx.papers.seal import Seal
    from bathyx.register import Register


def add_commands(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add them to the parser."""
    verify = command("verify", run_verify, "check that no record of a register was changed")
    verify.add_argument("register", nargs="?", metavar="FILE", help="a file or a server's URL; else the shop's own")
    verify.add_argument(
        "--expect", metavar="HEAD", help="a head from a paper, an export or a copy, like 142:3fa9c1d27be0a455"
    )
    verify.add_argument(
        "--public", metavar="KEY", type=str.strip, help="the shop's public key; signatures of noted heads are checked"
    )
    backup = command("backup", run_backup, "copy the register while it is in use")
    backup.add_argument("copy", nargs="?", type=Path, metavar="FILE", help="else a dated file in the folder of copies")
    backup.add_argument("--register", type=Path, metavar="FILE")
    restore = command("restore", run_restore, "put a copy in the register's place; what stood there is set aside")
    restore.add_argument("copy", nargs="?", type=Path, metavar="FILE", help="else the copies are listed")
    restore.add_argument("--register", type=Path, metavar="FILE")
    command("key", run_key, "make the shop's key, or print its public half")
    paper = command("check-paper", run_check_paper, "check the text of a paper's QR code")
    paper.add_argument("text", metavar="TEXT", help="what a QR reader shows")
    paper.add_argument("--public", metavar="KEY", type=str.strip, help="the shop's public key")
    paper.add_argument("--register", metavar="FILE", help="hold its head against this register")
    proof = command("proof", run_proof, "whether a tank is proven, and why, as JSON; exit code 0 only when it is")
    proof.add_argument("serial", metavar="SERIAL", help="the tank's serial number")
    proof.add_argument("--register", metavar="FILE")
    proof.add_argument("--job", type=Path, metavar="FILE", help="the job as it stands; else its file in the home")
    command("postgres-roles", run_roles, "print the SQL that lets benches add and read, and nothing else")


def where_register(given: object = None) -> str | Path:
    """The register in force: given, $BATHYX_REGISTER, what the settings of the home name, or the file in the home."""
    from bathyx.register.opening.where import register_of

    return str(given) if given else register_of(data_home())


def open_register(given: object = None) -> Register:
    """The register, opened; CommandError in words. A file is opened for reading only, unless an earlier Bathyx made it."""
    from bathyx.register import Register, RegisterError

    where = where_register(given)
    if "://" not in str(where) and not os.path.lexists(where):
        raise CommandError(f"no register at {where}")
    try:
        return Register(where, read_only="://" not in str(where))
    except RegisterError as error:
        if error.kind != "old":
            raise CommandError(str(error)) from None
    return Register(where)


def run_verify(options: argparse.Namespace) -> int:
    """Check the chain."""
    from bathyx.register import Head
    from bathyx.register.ledger.keys import shop_key

    expect = Head.parse(options.expect) if options.expect else None
    register = open_register(options.register)
    try:
        key = shop_key(data_home())
        public = options.public or (key.public if key else "")
        broken = register.verify(expect, public)
        head, restored = register.head(), register.restored
    finally:
        register.close()
    for words in restored:
        print(f"a copy was brought back: {words}")
    for b in broken:
        print(f"entry {b.entry_id}: {b.reason}" if b.entry_id else b.reason)
    if broken:
        print(f"{len(broken)} places where the past was changed")
        return 1
    print(f"the chain of records is whole, up to {head.short}")
    if expect is None:
        print("A past that was cut off or rebuilt by one who can write the register and its file of heads shows only")
        print("against a head kept elsewhere: print papers, keep copies, and give one of their heads with --expect.")
    if not public:
        print(
            "not looked at: whether noted heads are signed; the shop has no key (bathyx key), and none was given with --public"
        )
    return 0


def _file_register(given: Path | None) -> Path:
    where = where_register(given)
    if "://" in str(where):
        raise CommandError("the register is kept on a server; its copies are the server's business (pg_dump)")
    return Path(where)


def run_backup(options: argparse.Namespace) -> None:
    """Copy the register."""
    from datetime import datetime

    from bathyx.register.opening.copies import FOLDER, copy_file

    register = _file_register(options.register)
    if not register.is_file():
        raise CommandError(f"no register at {register}")
    target = options.copy or register.parent / FOLDER / f"register-{datetime.now():%Y-%m-%d-%H%M%S}.sqlite"
    if target.exists():
        raise CommandError(f"{target} exists; a copy never overwrites one")
    open_register(register).close()
    print(copy_file(register, target))


def run_restore(options: argparse.Namespace) -> None:
    """Bring a copy back."""
    from bathyx.register.ledger.keys import shop_key
    from bathyx.register.opening.copies import copies
    from bathyx.register.opening.restore import restore

    register = _file_register(options.register)
    if options.copy is None:
        found = copies(register.parent)
        print("\n".join(str(path) for path in found) if found else f"no copies in {register.parent / 'copies'}")
        return
    done = restore(options.copy, register, shop_key(data_home()))
    print(f"{register} is the copy now, up to record {done.head.count}")
    if done.was is not None and done.was.count > done.head.count:
        print(f"{done.was.count - done.head.count} records made after the copy are only in what was set aside")
    if done.aside is not None:
        print(f"what stood there is set aside: {done.aside}")


def run_key(_: argparse.Namespace) -> None:
    """Make the shop's key."""
    from bathyx.register.ledger.keys import PRIVATE, make_key, shop_key

    key = shop_key(data_home())
    if key is None:
        key = make_key(data_home())
        print(f"made {data_home() / PRIVATE}: keep a copy of it under lock, and give nobody a look at it")
    print(f"public key: {key.public}")


def run_check_paper(options: argparse.Namespace) -> int:
    """Check a seal."""
    from bathyx.papers.seal import contradicted, read_seal
    from bathyx.register.ledger.keys import shop_key

    seal = read_seal(options.text)
    print(f"the text says: serial {seal.serial}: {seal.state}, printed {seal.on}, records up to {seal.head.short}")
    own = shop_key(data_home())
    vouched, faults, unseen = _signature_words(seal, options.public or (own.public if own else ""))
    if options.register:
        register = open_register(options.register)
        try:
            found = list(contradicted(seal, register))
        finally:
            register.close()
        faults += found
        vouched += [] if found else ["the register holds all that was on record then, its serial, day and state"]
    else:
        unseen.append("whether serial, state, day and head are those of the register: give it with --register")
    lines = [*vouched, *(f"FALSE: {words}" for words in faults), *(f"not looked at: {words}" for words in unseen)]
    print("\n".join(lines if vouched or faults else [*lines, "nothing vouches for this text"]))
    return 0 if vouched and not faults else 1


def _signature_words(seal: Seal, public: str) -> tuple[list[str], list[str], list[str]]:
    """What the signature vouches for, what is false about it, what could not be looked at."""
    unsigned = "not signed: anybody could have made this text"
    if not seal.signature:
        return [], [f"{unsigned}, and the shop signs its papers"] if public else [], [] if public else [unsigned]
    if not public:
        return [], [], ["by whom it is signed: give the shop's public key with --public"]
    if seal.good(public):
        return ["signed with the shop's key"], [], []
    return [], ["NOT signed with that key: text or signature was changed"], []


def run_proof(options: argparse.Namespace) -> int:
    """Print the judgement over a tank: of its whole record, and of design, brief and plan as they stand."""
    import json

    from bathyx.core.evaluate import evaluate
    from bathyx.core.job import read_job
    from bathyx.files import read_text
    from bathyx.register import record_of

    register = open_register(options.register)
    try:
        found = next((f for f in register.find(options.serial) if f.serial == options.serial.strip()), None)
        if found is None:
            raise CommandError(
                f"no tank with the serial {options.serial!r}; `bathyx proof` takes it as the plate has it"
            )
        path = options.job or job_file_of(data_home(), found.uid)
        if path is None:
            of, job = f"revision {found.revision}", read_job(register.document(found.uid, found.revision))
        else:
            of, job = str(path), read_job(read_text(path), path.name)
        if job.uid != found.uid:
            raise CommandError(f"{path} is the job of another tank")
        proof = record_of(register, evaluate(job)).proof
    finally:
        register.close()
    answer = {
        "serial": found.serial,
        "of": of,
        "state": proof.state,
        "simulated": proof.simulated,
        "reasons": [str(x) for x in proof.reasons],
        "blocks": [str(x) for x in proof.blocks],
        "fallen": {step: str(why) for step, why in proof.fallen.items()},
        "tests": [
            {
                "what": t.test.what,
                "method": t.test.method,
                "plan": t.test.words,
                "state": t.state,
                "reasons": [str(x) for x in t.reasons],
                "entry": t.entry.id if t.entry is not None else None,
                "stood_kpa": t.stood_kpa,
            }
            for t in proof.tests
            if t.test is not None
        ],
    }
    print(json.dumps(answer, indent=2, ensure_ascii=False))
    return 0 if proof.whole else 1


def job_file_of(home: Path, uid: str) -> Path | None:
    """The job file of a home with this uid; None when there is none that can be read."""
    from bathyx.core.job import read_job
    from bathyx.errors import Refusal
    from bathyx.files import read_text

    for path in sorted((home / "jobs").glob("*.bathyx.json")):
        try:
            text = read_text(path)
            if uid in text and read_job(text, path.name).uid == uid:
                return path
        except Refusal:
            continue
    return None


def run_roles(_: argparse.Namespace) -> None:
    """Print the roles."""
    from bathyx.register.opening.roles import ROLES_SQL

    print(ROLES_SQL, end="")
