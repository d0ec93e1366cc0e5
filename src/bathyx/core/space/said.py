"""What stands in a space as a maker types it, one a line, and back.

`engine: box at 300, 0, 0, 420 x 310 x 500, keep 15`; `shaft: tube from 0, 0, 80 to 900, 0, 60, dia 60`; `lid: above z 410`;
`ledge: step rear low 130 x 45`; `corner: chamfer front low 60 x 40`; `pull: out of sender 320, dia 60`;
`foam: layer below 10`; `hatch: opening z 300, 10 20, 380 20, 380 470, 10 470, thick 5, lip 12`; `engine: outside box …`;
`pump: later box …` for what comes in after the tank.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any, get_args

from bathyx.core.space.base import SIDES, MeasuredSpace
from bathyx.core.space.cuts import Edge, EdgeCut
from bathyx.core.space.obstacles import AnyObstacle, BoxObstacle, HalfSpace, Layer, Reach, SolidObstacle, TubeObstacle
from bathyx.core.space.openings import Opening
from bathyx.core.units.frozen import Frozen, checked
from bathyx.core.units.typed import lines_of
from bathyx.errors import Refusal

_N = r"(-?\d+(?:\.\d+)?)"
_AT = rf"{_N}\s*,\s*{_N}\s*,\s*{_N}"
_KEEP = re.compile(rf"[,;]?\s*keep\s+{_N}\s*(?:mm)?\s*$", re.IGNORECASE)
_BOX = re.compile(rf"^box\s+(?:at\s+)?{_AT}\s*[,;]\s*{_N}\s*[x×]\s*{_N}\s*[x×]\s*{_N}$", re.IGNORECASE)
_TUBE = re.compile(rf"^tube\s+(?:from\s+)?{_AT}\s+to\s+{_AT}\s*[,;]?\s*(?:dia|diameter|ø)\s*{_N}$", re.IGNORECASE)
_BEYOND = re.compile(rf"^(above|below|behind|before|right of|left of)\s+(?:([xyz])\s+)?{_N}$", re.IGNORECASE)
_CUT = re.compile(rf"^(chamfer|step)\s+(\w+ \w+)\s*[,;]?\s*{_N}\s*[x×]\s*{_N}$", re.IGNORECASE)
_OUT = re.compile(rf"^out of\s+(.+?)\s*[,;]?\s+{_N}\s*[,;]?\s*(?:dia|diameter|ø)\s*{_N}$", re.IGNORECASE)
_LAYER = re.compile(rf"^layer\s+([a-z ,]+?)\s+{_N}$", re.IGNORECASE)
_SOLID = re.compile(rf"^solid\s+{_AT}(?:\s*;\s*{_AT})*\s*;?$", re.IGNORECASE)
_OPENING = re.compile(
    rf"^opening\s+([xyz])\s+{_N}\s*[,;]\s*(.+?)(?:\s*[,;]\s*thick\s+{_N})?(?:\s*[,;]\s*lip\s+{_N})?(\s*[,;]\s*on the way)?$",
    re.IGNORECASE,
)
_CORNER = re.compile(rf"^{_N}\s+{_N}$")
_OUTSIDE = re.compile(r"^(outside|later)\s+", re.IGNORECASE)
FIELDS = {"chamfer": "cuts", "step": "cuts", "out": "reaches", "layer": "layers"}
_SIDES = {
    "above": ("z", "above"), "below": ("z", "below"), "behind": ("x", "above"), "before": ("x", "below"),
    "right of": ("y", "above"), "left of": ("y", "below"),
}  # fmt: skip
_WAYS = {pair: word for word, pair in _SIDES.items()}
MOST_COLUMNS = 24
HOW = (
    "engine: box at 300, 0, 0, 420 x 310 x 500, keep 15, or shaft: tube from 0, 0, 80 to 900, 0, 60, dia 60, or lid: above 410, or "
    "ledge: step rear low 130 x 45, corner: chamfer front low 60 x 40, or pull: out of sender 320, dia 60, or foam: layer below 10"
)


def things_of(text: str) -> list[dict[str, Any]]:
    """The obstacles that lines of text stand for, as the document has them. Refusal with the line.

    >>> things_of("engine: box at 300, 0, 0, 420 x 310 x 500")[0]["length_mm"]
    420.0
    """
    found = []
    for number, line in lines_of(text):
        if not line.strip():
            continue
        name, colon, rest = line.partition(":")
        if not colon or not name.strip():
            raise Refusal(f"line {number}, {line.strip()[:50]!r}: begin with a name and a colon: {HOW}")
        keep = _KEEP.search(rest)
        rest = rest[: keep.start()] if keep else rest
        try:
            rest = rest.strip()
            outside = _OUTSIDE.match(rest)
            thing = _thing(rest[outside.end() :] if outside else rest)
            if keep:
                thing["clearance_mm"] = float(keep.group(1))
            made = _checked(thing | {"name": name.strip()})
            if outside and made["kind"] in (*FIELDS, "opening"):
                where = "stand outside" if outside.group(1).lower() == "outside" else "come in later"
                raise Refusal(
                    f"a {made['kind']} does not {where}; boxes, tubes, solids and what lies beyond a plane do"
                )
            found.append(made | {outside.group(1).lower(): True} if outside else made)
        except Refusal as error:
            raise Refusal(f"line {number}, {name.strip()[:30]}: {error}") from None
    return found


def parts_of(text: str, *, box: bool) -> dict[str, list[dict[str, Any]]]:
    """What the lines stand for, by field of the space: `obstacles`, `reaches`, `layers`, and of a box its `cuts`.

    Args:
        text: the lines.
        box: whether the space is a box, which has edges to cut.

    >>> parts_of("foam: layer below 10", box=True)["layers"][0]["mm"]
    10.0
    """
    fields = ("obstacles", "reaches", "layers", "cuts") if box else ("obstacles", "reaches", "layers")
    found: dict[str, list[dict[str, Any]]] = {name: [] for name in fields}
    way: dict[str, list[Any]] = {"openings": [], "outside": [], "later": []}
    for thing in things_of(text):
        if thing["kind"] == "opening":
            way["openings"].append({name: value for name, value in thing.items() if name != "kind"})
            continue
        if thing.pop("outside", False):
            way["outside"].append(thing)
            continue
        if thing.pop("later", False):
            way["later"].append(thing["name"])
        field = FIELDS.get(thing["kind"], "obstacles")
        if field not in found:
            raise Refusal(
                f"{thing['name']}: a {thing['kind']} lies along an edge of a box; stations measure it themselves"
            )
        if field in ("reaches", "layers"):
            thing = {name: value for name, value in thing.items() if name != "kind"}
        found[field].append(thing)
    if way["outside"] and not way["openings"]:
        raise Refusal(f"{way['outside'][0]['name']} stands outside, but no opening is said that leads there")
    if way["later"] and not way["openings"]:
        raise Refusal(f"{way['later'][0]} comes in after the tank, but no opening is said that both come in by")
    if way["openings"]:
        found["way_in"] = way  # type: ignore[assignment]
    return found


def _thing(text: str) -> dict[str, Any]:
    if match := _BOX.match(text):
        values = [float(v) for v in match.groups()]
        names = ("x_mm", "y_mm", "z_mm", "length_mm", "width_mm", "height_mm")
        return {"kind": "box", **dict(zip(names, values, strict=True))}
    if match := _TUBE.match(text):
        v = [float(x) for x in match.groups()]
        return {"kind": "tube", "from_mm": v[:3], "to_mm": v[3:6], "diameter_mm": v[6]}
    if match := _BEYOND.match(text):
        axis, side = _SIDES[match.group(1).lower()]
        return {"kind": "beyond", "axis": axis, "side": side, "at_mm": float(match.group(3))}
    if match := _CUT.match(text):
        edge = match.group(2).lower()
        if edge not in get_args(Edge):
            turned = " ".join(reversed(edge.split()))
            hint = f"; is it {turned!r}, with its sizes the other way round?" if turned in get_args(Edge) else ""
            raise Refusal(f"{edge!r} is no edge; there are {', '.join(get_args(Edge))}{hint}")
        return {
            "kind": match.group(1).lower(), "edge": edge,
            "first_mm": float(match.group(3)), "second_mm": float(match.group(4)),
        }  # fmt: skip
    if match := _OUT.match(text):
        return {
            "kind": "out", "fitting": match.group(1).strip(),
            "length_mm": float(match.group(2)), "diameter_mm": float(match.group(3)),
        }  # fmt: skip
    if match := _LAYER.match(text):
        words = match.group(1).lower().replace(",", " ").split()
        sides = [side for side in SIDES if side in words or "all" in words]
        wrong = [word for word in words if word not in (*SIDES, "all", "and")]
        if wrong or not sides:
            raise Refusal(f"{' '.join(words)!r} names no sides; there are {', '.join(SIDES)}, or all")
        return {"kind": "layer", "sides": sides, "mm": float(match.group(2))}
    if match := _OPENING.match(text):
        corners = [_CORNER.match(part.strip()) for part in re.split(r"[,;]", match.group(3))]
        if not all(corners):
            raise Refusal(f"{match.group(3)[:40]!r} are no corners; write them as pairs: 30 5, 730 5, 730 975, 30 975")
        more = {"thickness_mm": match.group(4), "lip_mm": match.group(5)}
        return {
            "kind": "opening", "axis": match.group(1).lower(), "at_mm": float(match.group(2)),
            "corners": [[float(c.group(1)), float(c.group(2))] for c in corners if c],
            **{name: float(value) for name, value in more.items() if value is not None},
            **({"on_the_way": True} if match.group(6) else {}),
        }  # fmt: skip
    if _SOLID.match(text):
        figures = [float(v) for v in re.findall(_N, text)]
        return {"kind": "solid", "corners": [figures[k : k + 3] for k in range(0, len(figures), 3)]}
    raise Refusal(f"{text[:50]!r} is not understood; write {HOW}")


def _checked(thing: dict[str, Any]) -> dict[str, Any]:
    models: dict[str, type[Frozen]] = {
        "box": BoxObstacle, "tube": TubeObstacle, "beyond": HalfSpace, "solid": SolidObstacle,
        "opening": Opening, "chamfer": EdgeCut, "step": EdgeCut, "out": Reach, "layer": Layer,
    }  # fmt: skip
    kind, bare = thing["kind"], {name: value for name, value in thing.items() if name != "kind"}
    if kind == "opening":
        if "clearance_mm" in bare:
            raise Refusal("an opening has no clearance of its own to keep; leave out 'keep'")
        return {"kind": kind, **checked(Opening, bare).model_dump(mode="json")}
    if kind not in FIELDS:
        return checked(models[kind], thing).model_dump(mode="json")
    if "clearance_mm" in bare:
        raise Refusal(f"a {kind} has no clearance of its own to keep; leave out 'keep'")
    return {"kind": kind, **checked(models[kind], thing if FIELDS[kind] == "cuts" else bare).model_dump(mode="json")}


def text_of_things(things: Iterable[AnyObstacle], later: Iterable[str] = ()) -> str:
    """The lines that `things_of` reads; `later`: names of what comes in after the tank."""
    names = set(later)
    return "\n".join(
        f"{thing.name}: {'later ' if thing.name in names else ''}{_words(thing)}, keep {thing.clearance_mm:g}"
        for thing in things
    )


def text_of(space: MeasuredSpace) -> str:
    """The lines that `parts_of` reads: everything in a space and on the tank's sides."""
    lines = [f"{c.name}: {c.kind} {c.edge} {c.first_mm:g} x {c.second_mm:g}" for c in getattr(space, "cuts", ())]
    later = space.way_in.later if space.way_in is not None else ()
    lines += [line for line in text_of_things(space.obstacles, later).split("\n") if line]
    lines += [f"{r.name}: out of {r.fitting} {r.length_mm:g}, dia {r.diameter_mm:g}" for r in space.reaches]
    lines += [
        f"{layer.name}: layer {'all' if len(layer.sides) == len(SIDES) else ' '.join(layer.sides)} {layer.mm:g}"
        for layer in space.layers
    ]
    way = space.way_in
    if way is not None:
        lines += [f"{o.name}: {_opening(o)}" for o in way.openings]
        lines += [f"{t.name}: outside {_words(t)}, keep {t.clearance_mm:g}" for t in way.outside]
    return "\n".join(lines)


def _opening(o: Opening) -> str:
    corners = ", ".join(f"{a:g} {b:g}" for a, b in o.corners)
    lip = f", lip {o.lip_mm:g}" if o.lip_mm else ""
    return f"opening {o.axis} {o.at_mm:g}, {corners}, thick {o.thickness_mm:g}{lip}{', on the way' if o.on_the_way else ''}"


def _words(thing: AnyObstacle) -> str:
    if isinstance(thing, BoxObstacle):
        return (
            f"box at {thing.x_mm:g}, {thing.y_mm:g}, {thing.z_mm:g}, "
            f"{thing.length_mm:g} x {thing.width_mm:g} x {thing.height_mm:g}"
        )
    if isinstance(thing, TubeObstacle):
        ends = (", ".join(f"{v:g}" for v in end) for end in (thing.from_mm, thing.to_mm))
        return f"tube from {' to '.join(ends)}, dia {thing.diameter_mm:g}"
    if isinstance(thing, SolidObstacle):
        return "solid " + "; ".join(", ".join(f"{v:g}" for v in corner) for corner in thing.corners)
    return f"{_WAYS[thing.axis, thing.side]} {thing.at_mm:g}"


def table_of(stations: tuple[Any, ...], *, long: bool = False) -> str:
    """Stations as a table of offsets in mm with tabs between, what a spreadsheet pastes: heights in the header, or a row an offset
    where `long` or where there are too many different heights."""
    heights = sorted({row.z_mm for s in stations for row in s.rows})
    apart = any(row.left_mm != row.right_mm for s in stations for row in s.rows)
    if long or len(heights) > MOST_COLUMNS:
        rows = [(s.x_mm, r.z_mm, r.left_mm, r.right_mm) for s in stations for r in s.rows]
        return "\n".join(["x_mm\tz_mm\tleft_mm\tright_mm", *("\t".join(map(_cell, row)) for row in rows)])
    heads = [f"{z:g}{side}" for z in heights for side in ((" L", " R") if apart else ("",))]
    lines = ["\t".join(["x_mm", *heads])]
    for s in stations:
        at = {row.z_mm: row for row in s.rows}
        cells: list[float | None] = []
        for z in heights:
            row = at.get(z)
            cells += ([row.left_mm, row.right_mm] if apart else [row.left_mm]) if row else [None] * (2 if apart else 1)
        lines.append("\t".join([f"{s.x_mm:g}", *map(_cell, cells)]))
    return "\n".join(lines)


def _cell(value: float | None) -> str:
    return "" if value is None else f"{value:.10g}"
