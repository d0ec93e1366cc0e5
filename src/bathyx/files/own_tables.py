"""The shop's own tables, files in the home: sheets.toml, fluids.toml and so on, laid over those that ship with Bathyx."""

from __future__ import annotations

import tomllib
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bathyx.core.inside.kinds import KINDS
from bathyx.core.laminate.stuff import CLOTHS, CORES, RESINS
from bathyx.core.material.fitting_metals import METALS
from bathyx.core.material.fluids import FLUIDS
from bathyx.core.material.plastics import PLASTICS
from bathyx.core.material.sheets import SHEETS
from bathyx.core.sheet.bending.punches import PUNCHES
from bathyx.core.tables import Table
from bathyx.files.read import ReadError, read_text

FOLDER = "tables"
MOST_BYTES = 400_000
OWN = (SHEETS, PLASTICS, CLOTHS, RESINS, CORES, FLUIDS, METALS, KINDS, PUNCHES)
BEGUN = """# Rows of the shop's own, over those that ship with Bathyx: a new row whole, of a shipped one what differs.
# Each needs a source. Bathyx reads this when it starts; `bathyx tables` says what is wrong. For instance:
#
# {example}
"""
EXAMPLES = {
    "sheets": '[5083]\n# price_per_kg = 8.1\n# source = "our yard, spring 2026"',
    "plastics": '[pp]\n# heat_min_mm = 0.8\n# source = "our heater, tried on 8 mm"',
    "cloth": '[csm450]\n# share = 0.34\n# source = "weighed on our table"',
    "resins": '[vinylester]\n# price_per_kg = 9\n# source = "our supplier"',
    "cores": '[pvc80]\n# price_per_m2_mm = 1.8\n# source = "our supplier"',
    "fluids": '[diesel]\n# density = 840\n# source = "delivery note, March 2026"',
    "kinds": '[filler]\n# ring_od_mm = 90\n# source = "the rings we keep"',
    "fitting_metals": '[brass]\n# name = "Brass"\n# source = "as shipped"',
    "punches": '[gooseneck]\n# high_mm = 120\n# source = "measured on our press"',
}


def folder_of(home: Path) -> Path:
    """Where the shop's own tables are."""
    return home / FOLDER


def read_own(folder: Path) -> list[str]:
    """Lay over what is in a folder of own tables; a sentence for each row that is wrong and left out."""
    for table in OWN:  # those of another home do not hold here
        table.bare()
    return _each(folder, lambda table, rows: table.lay_over(rows))


def looked_over(folder: Path) -> tuple[dict[str, list[str]], list[str]]:
    """(keys of the rows that would hold, what is wrong with the others) of files that are not laid over yet."""
    held: dict[str, list[str]] = {}

    def look(table: Table[Any], rows: dict[str, Any]) -> list[str]:
        found, wrong = table.sound(rows)
        held[table.name] = sorted(found)
        return wrong

    wrong = _each(folder, look)
    return {name: keys for name, keys in held.items() if keys}, wrong


def _each(folder: Path, do: Callable[[Table[Any], dict[str, Any]], list[str]]) -> list[str]:
    wrong = []
    for table in OWN:
        path = folder / f"{table.name}.toml"
        if not path.exists():
            continue
        try:
            rows = tomllib.loads(read_text(path, MOST_BYTES))
        except ReadError as error:
            wrong.append(str(error))
        except (tomllib.TOMLDecodeError, RecursionError) as error:
            wrong.append(f"{path.name} cannot be read as TOML: {error}")
        else:
            wrong += do(table, rows)
    return wrong


def begin_own(folder: Path) -> None:
    """A file for each table, that says in itself how a row is written; those that are there stay. OSError where that fails."""
    folder.mkdir(parents=True, exist_ok=True)
    for table in OWN:
        path = folder / f"{table.name}.toml"
        if not path.exists():
            path.write_text(BEGUN.format(example=EXAMPLES[table.name]), "utf-8")


def own_rows() -> dict[str, list[str]]:
    """Keys of the own rows that hold now, by table."""
    return {table.name: sorted(table.own) for table in OWN if table.own}
