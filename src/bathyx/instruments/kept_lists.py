"""The shop's own lists: a JSON file in the home, read whole and checked, written whole."""

from __future__ import annotations

import json
import os
from collections.abc import Sequence
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, TypeAdapter, ValidationError

from bathyx.core.units.frozen import explained
from bathyx.errors import Refusal
from bathyx.files import read_text, write_text

Row = TypeVar("Row", bound=BaseModel)


def read_list(path: Path, rows: TypeAdapter[list[Row]], refusal: type[Refusal] = Refusal) -> list[Row]:
    """The rows of a list; none where there is no file.

    Args:
        path: of the file.
        rows: what they are.
        refusal: raised where it cannot be read, with what to do.
    """
    if not os.path.lexists(path):
        return []
    try:
        found = json.loads(read_text(path))
        return rows.validate_python(found)
    except ValidationError as error:
        why = explained(error, found).splitlines()[0]
    except RecursionError:
        why = "lists within lists without end"
    except ValueError as error:
        why = str(error).splitlines()[0]
    raise refusal(f"{path.name} cannot be read ({why[:160]}); mend it or set it aside: {path}")


def write_list(path: Path, rows: Sequence[BaseModel]) -> None:
    """Write a list whole. OSError when it cannot be written."""
    path.parent.mkdir(parents=True, exist_ok=True)
    write_text(path, json.dumps([row.model_dump(mode="json") for row in rows], indent=2) + "\n")
