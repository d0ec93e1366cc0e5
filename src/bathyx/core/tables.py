"""Tables that ship with Bathyx, and the shop's own rows laid over them: a sheet, a fluid or a fitting more, or another price.

Own rows are laid over once, before the first job is read. A job carries those that it uses, so that it reads the same at another
bench.
"""

from __future__ import annotations

import json
import math
import re
import threading
import tomllib
from collections.abc import Callable, Mapping
from dataclasses import fields
from importlib.resources import files
from typing import Any, Generic, TypeVar

from pydantic import TypeAdapter, ValidationError

from bathyx.core.memory.store import forget_all
from bathyx.errors import Refusal

Row = TypeVar("Row")
Rows = dict[str, dict[str, Any]]
_LAYING = threading.RLock()
KEY = re.compile(r"[a-z0-9][a-z0-9_.-]{0,39}")
MOST_ROWS, MOST_TEXT = 400, 600


class Table(Generic[Row]):
    """Rows by key. `bounds`: least and most of entries, in the words of their unit."""

    def __init__(
        self,
        package: str,
        name: str,
        kind: type[Row],
        make: Callable[[str, dict[str, Any]], Row],
        named_by: Mapping[str, tuple[str, ...]],
        bounds: Mapping[str, tuple[float, float, str]],
        loose: tuple[str, ...] = (),
    ) -> None:
        """A table.

        Args:
            package: where its file ships.
            name: of the file without its end; the shop's own has the same.
            kind: of a row, a dataclass; its annotations say what an own row may hold.
            make: a row of what stands in the file.
            named_by: by field of a job, patterns of values that name a row, with {key} in its place.
            bounds: least and most that an entry of an own row may be, and its unit.
            loose: entries that `make` looks at itself.
        """
        self.package, self.name, self._kind, self._make = package, name, kind, make
        self.named_by, self._bounds, self._loose = named_by, bounds, loose
        self._rows: dict[str, Row] | None = None
        self._shipped: Rows | None = None
        self.own: Rows = {}
        self.carried: set[str] = set()
        TABLES[name] = self

    def shipped(self) -> Rows:
        """What stands in the file that ships."""
        if self._shipped is None:
            self._shipped = tomllib.loads(files(self.package).joinpath(f"{self.name}.toml").read_text("utf-8"))
        return dict(self._shipped)

    def rows(self) -> dict[str, Row]:
        """Every row, the shop's own among them."""
        rows = self._rows
        if rows is None:
            with _LAYING:  # the shelf's thread may be laying over what a job carries
                rows = {key: self._make(key, row) for key, row in (self.shipped() | self.own).items()}
                self._rows = rows
        return rows

    def lay_over(self, rows: Mapping[str, Any], *, carried: bool = False) -> list[str]:
        """Lay own rows over; what is wrong with those that were left out, a sentence each.

        Args:
            rows: by key, as they stand in the file: a new row whole, of a shipped one what differs.
            carried: they came with a job; those that are known here stay as they are.
        """
        shipped = self.shipped() if carried else {}
        taken, wrong = self.sound(
            {k: row for k, row in rows.items() if not (carried and (k in self.own or k in shipped))}
        )
        if taken:
            with _LAYING:
                self.own = self.own | taken
                self.carried |= set(taken) if carried else set()
                self.changed()
        return wrong

    def sound(self, rows: Mapping[str, Any]) -> tuple[Rows, list[str]]:
        """(rows that may be laid over, whole; what is wrong with the others, a sentence each)."""
        shipped = self.shipped()
        if len(rows) > MOST_ROWS:
            return {}, [f"{self.name}.toml has {len(rows)} rows; {MOST_ROWS} are the most"]
        taken: Rows = {}
        wrong = []
        for key, row in rows.items():
            why = self._wrong(key, row, shipped.get(key))
            if why:
                wrong.append(f"{self.name}.toml, {key[:40]}: {why}")
            else:
                taken[key] = {**shipped.get(key, {}), **row}
        return taken, wrong

    def changed(self) -> None:
        """Rows are made anew, and what was kept of them is let go."""
        self._rows = None
        forget_all()
        for forget in FORGET:
            forget()

    def bare(self) -> None:
        """Take the own rows off again."""
        if self.own or self.carried:
            self.own, self.carried = {}, set()
            self.changed()

    def _wrong(self, key: str, row: Any, base: dict[str, Any] | None) -> str:
        if not KEY.fullmatch(key):
            return "a row is named in small letters and digits, like 5083 or box_steel"
        if not isinstance(row, dict):
            return f"a row is a table; it should begin with [{key}]"
        if not str(row.get("source", "")).strip():
            return 'it needs a source, like source = "data sheet of our yard, 2026"'
        known = {field.name for field in fields(self._kind)} - {"key"}  # type: ignore[arg-type]
        if odd := sorted(set(row) - known):
            return f"no such entry {odd[0][:40]!r}; there are {', '.join(sorted(known))}"
        try:
            entries = {**(base or {}), **row, "key": key}
            looked_at = {name: value for name, value in entries.items() if name not in self._loose}
            TypeAdapter(self._kind).validate_python(looked_at)
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(str(part) for part in first["loc"]) or "row"
            given = "" if first["type"] == "missing" else f", not {first['input']!r:.40}"
            return f"{place}: {first['msg'].lower()}{given}"
        for name, value in row.items():
            if why := self._beyond(name, value):
                return why
        try:
            self._make(key, {k: v for k, v in entries.items() if k != "key"})
        except (Refusal, KeyError, TypeError, ValueError) as error:
            return str(error)
        return ""

    def _beyond(self, name: str, value: Any) -> str:
        """What is wrong with one entry by its size: texts, and figures in lists too."""
        if isinstance(value, str):
            return f"{name} has {len(value)} letters; {MOST_TEXT} are the most" if len(value) > MOST_TEXT else ""
        low, high, unit = self._bounds.get(name, (-math.inf, math.inf, ""))
        for figure in _figures(value):
            if not math.isfinite(figure) or not low <= figure <= high:
                return f"{name} is {figure:g}; it should be from {low:g} to {high:g} {unit}".rstrip()
        return ""


TABLES: dict[str, Table[Any]] = {}
FORGET: list[Callable[[], None]] = []


def _figures(value: Any) -> list[float]:
    if isinstance(value, (list, tuple)):
        return [figure for part in value for figure in _figures(part)]
    return [float(value)] if isinstance(value, (int, float)) and not isinstance(value, bool) else []


def named_in(document: Any) -> dict[str, Rows]:
    """Own rows that a plain job document names, by table and key."""
    own = [table for table in TABLES.values() if table.own]
    found: dict[str, Rows] = {}
    if own:
        _look(document, "", own, found)
    return {name: dict(sorted(rows.items())) for name, rows in sorted(found.items())}


def _look(part: Any, field: str, own: list[Table[Any]], found: dict[str, Rows]) -> None:
    if isinstance(part, dict):
        for name, value in part.items():
            _look(value, name, own, found)
    elif isinstance(part, (list, tuple)):
        for value in part:
            _look(value, field, own, found)
    elif isinstance(part, str) and part:
        for table in own:
            for way in table.named_by.get(field, ()):
                key = part.split("/")[0] if way == "{key}/" else part
                if key in table.own:
                    found.setdefault(table.name, {})[key] = table.own[key]


def own_now() -> str:
    """Every own row as JSON, for a process of its own: as `lay_carried` takes them."""
    return json.dumps({table.name: table.own for table in TABLES.values() if table.own})


def take_own(rows: dict[str, Rows]) -> None:
    """Lay over what `own_now` gave in another process."""
    for name, own in rows.items():
        TABLES[name].lay_over(own)


def lay_carried(carried: Any) -> list[str]:
    """Lay down rows that came with a job and are not known here; those that are known stay as they are here: which of these
    the job was saved otherwise with, as `sheets: 5083`. Refusal says which cannot be used.

    Args:
        carried: by table and key, as `named_in` gives them.
    """
    otherwise: list[str] = []
    if not isinstance(carried, dict):
        raise Refusal("tables should be rows by table and key")
    for name, rows in carried.items():
        table = TABLES.get(name)
        if table is None or not isinstance(rows, dict):
            raise Refusal(f"tables has {name!r:.40}; there are {', '.join(sorted(TABLES))}")
        if wrong := table.lay_over(rows, carried=True):
            raise Refusal(wrong[0])
        here = table.shipped() | table.own
        otherwise += [f"{name}: {key}" for key, row in rows.items() if here.get(key) != row]
    return otherwise
