"""Results of studies on disk, in a home's folder `studies`: a cache that may be thrown away, and is read with suspicion."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pydantic import ValidationError

from bathyx.files import ReadError, WriteError, read_text, write_text
from bathyx.studies.kinds import Kind

MOST_KEPT = 100


def keep(home: Path, kind: Kind, inputs: Any, result: Any) -> None:
    """Keep a result under the content of its inputs. What cannot be kept is done again another time; nothing is said.

    Args:
        home: folder of the shop.
        kind: of study.
        inputs: its frozen inputs.
        result: what it found.
    """
    path = _place(home, kind, inputs)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_text(path, kind.result_as.dump_json(result, indent=1).decode() + "\n")
        rows = sorted(path.parent.glob("*.json"), key=lambda p: p.stat().st_mtime)
        for old in rows[:-MOST_KEPT]:
            old.unlink(missing_ok=True)
    except (OSError, WriteError):
        return


def recall(home: Path, kind: Kind, inputs: Any) -> Any | None:
    """The result kept for these inputs; None where there is none that can be read."""
    try:
        return kind.result_as.validate_json(read_text(_place(home, kind, inputs)))
    except (OSError, ReadError, ValidationError):
        return None


def _place(home: Path, kind: Kind, inputs: Any) -> Path:
    return home / "studies" / f"{kind.name}-{kind.key(inputs)}.json"
