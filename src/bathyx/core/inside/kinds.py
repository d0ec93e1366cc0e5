"""Kinds of fittings, from kinds.toml: what each is usually made like, what the rules take it for, how it is drawn."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any

from bathyx.core.tables import Table
from bathyx.errors import Refusal

DUTIES = {
    "": "nothing of these",
    "filler": "fills",
    "vent": "lets air in and out",
    "pickup": "draws out",
    "return": "brings back",
    "drain": "drains",
    "sender": "tells the level",
    "inspection": "lets a hand in",
    "balance": "joins two lobes",
    "limber": "lets bilge water through",
    "sight": "shows the level",
}


@dataclass(frozen=True)
class Size:
    """A variant of a kind: its thread or size in words, and its own figures, mm."""

    name: str
    figures: tuple[tuple[str, float], ...]


@dataclass(frozen=True)
class FittingKind:
    """A kind of fitting, lengths in mm. `does`: what the rules take it for; `home`: roof, floor or wall."""

    key: str
    title: str
    group: str
    does: str
    shape: str
    hole_mm: float
    ring_mm: float
    ring_od_mm: float
    source: str
    stands_mm: float = 0.0
    tube_mm: float = 0.0
    weld_mm: float = 0.0
    bought_kg: float = 0.0
    closed: bool = False
    home: str = "roof"
    sizes: tuple[Size, ...] = ()

    def sized(self, name: str) -> Size | None:
        """The variant of that name."""
        return next((size for size in self.sizes if size.name == name), None)


def kinds() -> dict[str, FittingKind]:
    """Every kind by key, in the order of the tray, the shop's own at its end."""
    return KINDS.rows()


def kind(key: str) -> FittingKind:
    """One kind. Refusal names those there are.

    >>> kind("drain").home
    'floor'
    """
    found = kinds().get(key)
    if found is None:
        raise Refusal(f"no kind of fitting {key!r}; there are {', '.join(kinds())}")
    return found


def _kind(key: str, row: dict[str, Any]) -> FittingKind:
    known = {field.name for field in fields(FittingKind)}
    if wrong := sorted(set(row) - known):
        raise Refusal(f"kinds.toml, {key}: no such entry {wrong[0]!r}")
    if row["does"] not in DUTIES:
        raise Refusal(
            f"kinds.toml, {key}: does is {row['does']!r}; it should be one of {', '.join(d for d in DUTIES if d)}"
        )
    sizes = tuple(
        Size(size["name"], tuple((name, float(v)) for name, v in size.items() if name != "name"))
        for size in row.get("sizes", ())
    )
    return FittingKind(key=key, **(row | {"sizes": sizes}))


KINDS = Table(
    __package__, "kinds", FittingKind, _kind, {"kind": ("{key}",)},
    {
        "hole_mm": (0, 600, "mm"), "ring_mm": (0, 50, "mm"), "ring_od_mm": (0, 800, "mm"), "stands_mm": (0, 1000, "mm"),
        "tube_mm": (0, 600, "mm"), "weld_mm": (0, 5000, "mm"), "bought_kg": (0, 100, "kg"),
    },
    loose=("sizes",),
)  # fmt: skip
