"""What every family of tanks is: one file with its document part, its faces, its sizes, schools and live dimensions.

A family is a frozen part of the document with a field `family` of one fixed word. Its fields say their label and unit
in their metadata (`size`), once: card, command line, drawings and the list of families read them from there.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import BaseModel, Field, field_validator

from bathyx.core.geometry.shell import Array, Face, Shell, close_shell, faces_volume_mm3
from bathyx.core.material import parse_sheet
from bathyx.core.space.base import MeasuredSpace
from bathyx.core.tank.sump import Sump, with_sump
from bathyx.core.units.frozen import Frozen, checked
from bathyx.errors import Refusal

Way = Literal["length", "width", "height"]
WAYS: tuple[Way, ...] = ("length", "width", "height")
MOST_MM = 10_000.0
SMALLEST_MM = 20.0


def size(
    label: str, *, ways: tuple[Way, ...] = (), least: float = 20, most: float = MOST_MM, default: Any = ...
) -> Any:
    """A length of a family in mm: what to call it, which ways of the inside box it makes longer, its open lower bound.

    Optional sizes that are 0 when they are not wanted have `least` below 0 and a default.

    Args:
        label: what it is called.
        ways: ways of the inside box that it makes longer.
        least: open lower bound, mm; below 0 for a size that is 0 where not wanted.
        most: upper bound, mm.
        default: mm; without one it must be given.
    """
    return Field(default, gt=least, le=most, title=label, json_schema_extra={"unit": "length", "ways": list(ways)})


def choice(label: str, words: dict[str, str], default: str) -> Any:
    """A choice of a family: its label and what each word stands for, for card and help."""
    return Field(default, title=label, json_schema_extra={"unit": "choice", "words": dict(words)})


def part(label: str, default: Any) -> Any:
    """A part of a family with settings of its own."""
    return Field(default, title=label, json_schema_extra={"unit": "part"})


def optional_size(label: str, most: float = 20_000) -> Any:
    """A length that has a usual value of its own unless it is given."""
    return Field(None, gt=0, le=most, title=label, json_schema_extra={"unit": "length"})


def degrees(label: str, default: float, least: float, most: float) -> Any:
    """An angle of a family in degrees.

    Args:
        label: what it is called.
        default: degrees.
        least: smallest, degrees.
        most: largest, degrees.
    """
    return Field(default, ge=least, le=most, title=label, json_schema_extra={"unit": "angle"})


@dataclass(frozen=True)
class Setting:
    """A field of a family as card and command line show it. `path` is dotted, from the family's part."""

    path: str
    label: str
    unit: Literal["length", "angle", "choice"]
    words: tuple[tuple[str, str], ...] = ()
    ways: tuple[str, ...] = ()
    required: bool = False


@dataclass(frozen=True)
class MakeUpPlan:
    """How a school makes a family: the face split for a seam on its flat, the ring faces that a seam follows (None: every
    one), what laps over at the ends, and the name of a piece that holds the whole ring. `bought`: what the ring is cut
    from where it comes as a closed section, without a seam. `welded`: pairs of faces that a seam runs between besides.
    `laps`: (face, mm) of a lid that runs over past its edges."""

    split: str | None = None
    seams_after: tuple[str, ...] | None = None
    ends_over: Literal["choice", "always", "ring"] = "choice"
    whole: str = "wrap"
    bought: str = ""
    welded: tuple[tuple[str, str], ...] = ()
    laps: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True, eq=False)
class LiveDim:
    """A dimension that can be typed in a drawing: `view` it stands in, from and to (3,) mm, the field it edits, and how
    far off the tank it stands in points. Without a field it only says how long it is."""

    view: Literal["side", "end"]
    start: Array
    end: Array
    path: str
    away: float = 34.0


@dataclass(frozen=True, eq=False)
class Grip:
    """A face that may be dragged: its name, a place on it (3,) mm, and the way it looks (3,) unit."""

    name: str
    place: Array
    way: Array


SIDES_OF_BOX = {"front": (0, -1), "rear": (0, 1), "left": (1, -1), "right": (1, 1), "bottom": (2, -1), "top": (2, 1)}


class TankFamily(Frozen):
    """The base of every family. Inside sizes in mm; x from the front, y from the left end, z up, lowest corner at 0.

    `plans`: the schools that suit it. `main_faces`: those a piece is named by. `together`: words of the command line that set
    several fields at once. `order`: the fields that a file has first. `built_in`: its walls are the space's own.
    """

    title: ClassVar[str] = ""
    words: ClassVar[str] = ""
    plans: ClassVar[dict[str, MakeUpPlan]] = {}
    main_faces: ClassVar[tuple[str, ...]] = ()
    together: ClassVar[dict[str, tuple[str, ...]]] = {}
    order: ClassVar[tuple[str, ...]] = ()
    built_in: ClassVar[bool] = False

    family: str
    sheet: str = Field(max_length=40, title="Sheet", json_schema_extra={"unit": "sheet"})

    @field_validator("sheet")
    @classmethod
    def _sheet_exists(cls, name: str) -> str:
        parse_sheet(name)
        return name

    sump: Sump | None = None

    def closed(self, split: str | None = None) -> list[Face]:
        """Every inside face, with those of the sump."""
        faces = self.faces(split)
        return faces if self.sump is None else with_sump(faces, self.sump)

    def written(self, document: dict[str, Any]) -> dict[str, Any]:
        """Its plain document as a file has it: in the family's own order, and without a sump where there is none."""
        first = {name: document[name] for name in self.order if name in document}
        return {name: v for name, v in (first | document).items() if name != "sump" or v is not None}

    def volume_mm3(self) -> float:
        """Volume inside, without building the shell."""
        return faces_volume_mm3(self.closed())

    def faces(self, split: str | None = None) -> list[Face]:
        """The inside faces: the ring in order, then the ends. `split` divides a face for a seam on its flat."""
        raise NotImplementedError

    def shell(self, split: str | None = None) -> Shell:
        """The closed inside shell."""
        return close_shell(self.closed(split))

    def dims(self) -> list[LiveDim]:
        """Live dimensions for the drawings."""
        return []

    def handles(self) -> list[tuple[str, Array]]:
        """(tag, place (3,)) of what may be dragged in the side view."""
        return []

    def with_handle(self, tag: str, x_mm: float, z_mm: float) -> dict[str, Any]:
        """Changes of the family's fields when a handle is dragged to (x, z)."""
        return {}

    def grips(self, shell: Shell) -> list[Grip]:
        """Faces that may be dragged in its space: of the inside box, each way that one size makes longer."""
        (low, high), found = shell.bounds, []
        long = {way for setting in self.main_sizes() for way in setting.ways}
        for name, (axis, sign) in SIDES_OF_BOX.items():
            if WAYS[axis] in long and not self.built_in:
                place = (low + high) / 2
                place[axis] = high[axis] if sign > 0 else low[axis]
                found.append(Grip(name, place, sign * np.eye(3)[axis]))
        return found

    def pulled(self, name: str, by_mm: float) -> tuple[dict[str, Any], Array]:
        """(changes of the family's fields, (3,) mm its lowest corner moves by) when a face is dragged out by `by_mm`.

        Raises Refusal where that leaves no tank.
        """
        axis, sign = SIDES_OF_BOX[name]
        path = next(s.path for s in self.main_sizes() if WAYS[axis] in s.ways)
        new = round(getattr(self, path) + by_mm, 3)
        if new <= SMALLEST_MM:
            raise Refusal(f"the {WAYS[axis]} would be {new:g} mm; a tank is longer than {SMALLEST_MM:g} mm each way")
        shift = np.zeros(3)
        shift[axis] = -by_mm if sign < 0 else 0.0
        return {path: new}, shift

    def plan(self, school: str) -> MakeUpPlan | None:
        """How `school` makes this tank; None where it does not suit."""
        return self.plans.get(school)

    @classmethod
    def schools(cls) -> tuple[str, ...]:
        """Schools that suit the family, the usual one first."""
        return tuple(cls.plans)

    def set_in(self, face: str) -> bool | None:
        """Whether an end stands inside the walls (True) or covers them (False); None leaves it to the make-up."""
        return None

    def head_fields(self, face: str) -> dict[str, str]:
        """The fields of a head's `crown` and `knuckle`, by its face."""
        return {}

    def overhang_mm(self) -> tuple[float, float, float]:
        """What stands out past the walls' outside each way along x, y and z: a flange."""
        return 0.0, 0.0, 0.0

    def shown(self, path: str) -> bool:
        """Whether a setting means something now."""
        return True

    def switched(self, path: str, value: Any) -> dict[str, Any]:
        """Changes of the family's fields when a choice is made."""
        return {path: value}

    def filled(self, box: dict[str, float]) -> dict[str, Any]:
        """Changes of the family's fields that give it an inside box of `box` (mm by length, width, height)."""
        return {f"{way}_mm": mm for way, mm in box.items()}

    def shortened(self, way: str, by_mm: float) -> dict[str, Any] | None:
        """Changes that make the outside `by_mm` shorter one way, in whole mm; None where no single size does."""
        path = next((s.path for s in self.main_sizes() if way in s.ways), None)
        to = 0.0 if path is None else float(math.floor(getattr(self, path) - by_mm))
        return {path: to} if path is not None and to > SMALLEST_MM else None

    def chamfers_left(self, by_mm: float) -> dict[str, dict[str, Any]]:
        """Changes that cut an edge off by `by_mm` each way, by the edge's words; none where a family has no such edges."""
        return {}

    @classmethod
    def settings(cls) -> tuple[Setting, ...]:
        """Every field that a person sets, from its metadata; those of a part in it after one another, dotted."""
        return tuple(_settings(cls, "", ""))

    @classmethod
    def started(cls, box: dict[str, float], sheet: str) -> TankFamily:
        """A tank of the family for an inside box (mm by length, width, height), to begin from."""
        return checked(cls, {"sheet": sheet, **{f"{way}_mm": mm for way, mm in box.items()}})

    @classmethod
    def started_in(cls, space: MeasuredSpace, box: dict[str, float], sheet: str) -> TankFamily:
        """A tank to begin from in a measured space; most families need no more of it than an inside box."""
        return cls.started(box, sheet)

    def main_sizes(self) -> tuple[Setting, ...]:
        """The sizes that make the inside box larger: what a millimetre is worth, and what filling a space changes."""
        return tuple(s for s in self.settings() if s.ways)


def _settings(model: type[BaseModel], before: str, label: str) -> Iterator[Setting]:
    for name, info in model.model_fields.items():
        extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
        unit: Any = extra.get("unit")
        title = f"{label}, {(info.title or name).lower()}" if label else info.title or name
        if unit == "part" and isinstance(info.annotation, type) and issubclass(info.annotation, BaseModel):
            yield from _settings(info.annotation, f"{before}{name}.", info.title or name)
        elif unit in ("length", "angle", "choice"):
            words: Any = extra.get("words") or {}
            ways: Any = extra.get("ways") or []
            yield Setting(before + name, title, unit, tuple(words.items()), tuple(ways), info.is_required())
