"""Closed loops in a drawing of another program, whatever they are drawn with: points with bulges, as DXF polylines carry them."""

from __future__ import annotations

import io
import math
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np

from bathyx.core.geometry.outline import Outline, arc_points
from bathyx.errors import Refusal

Loop = list[tuple[float, float, float]]
DXF_KINDS = ("LINE", "ARC", "CIRCLE", "ELLIPSE", "SPLINE", "LWPOLYLINE", "POLYLINE")
MOST_ENTITIES, MOST_DEEP, LEAST_SHARE = 20_000, 8, 1e-6
NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
SIZE = re.compile(rf"\s*({NUMBER})\s*(mm|cm|in|pt|pc|px|q|)\s*", re.IGNORECASE)
BOX = re.compile(rf"\s*{NUMBER}(?:[\s,]+{NUMBER}){{3}}\s*")
GAP_SHARE, SAGITTA_SHARE = (
    2e-4,
    2e-4,
)  # of the drawing's size: what counts as joined, how far chords stay off a free curve


@dataclass(frozen=True)
class Drawn:
    """What a drawing holds: its closed loops, the largest first, its unit where it says one, and what there was of each kind."""

    loops: tuple[Loop, ...]
    unit: str | None
    kinds: tuple[tuple[str, int], ...]
    gap: tuple[float, float, float] | None = None  # of an open line, the widest: how far, and where

    @property
    def said(self) -> str:
        """What was found in the file, in words."""
        there = ", ".join(f"{count} × {kind}" for kind, count in self.kinds) or "nothing that is drawn"
        gap = (
            "" if self.gap is None else f"; a line is open by {self.gap[0]:.4g} at {self.gap[1]:.5g}, {self.gap[2]:.5g}"
        )
        return there + gap


def area(loop: Loop) -> float:
    """Signed area of a loop, its arcs with it."""
    return Outline(np.array([p[:2] for p in loop]), np.array([p[2] for p in loop])).area_mm2


def chords(loop: Loop, sagitta: float) -> Loop:
    """The loop with its arcs as chords that stay within `sagitta` of them."""
    found: Loop = []
    for (ax, ay, bulge), (bx, by, _) in zip(loop, [*loop[1:], loop[0]], strict=True):
        found.append((ax, ay, 0.0))
        if abs(bulge) > 1e-12:
            row = arc_points(np.array([ax, ay]), np.array([bx, by]), bulge, sagitta)[1:-1]
            found += [(float(x), float(y), 0.0) for x, y in row]
    return found


def _ordered(loops: Iterable[Loop]) -> tuple[Loop, ...]:
    """The largest first; those without an area, or next to none, left out."""
    rows = sorted(((abs(area(loop)), loop) for loop in loops if len(loop) >= 2), key=lambda row: -row[0])
    return tuple(loop for size, loop in rows if size > LEAST_SHARE * rows[0][0] and size > 0)


# -- DXF -----------------------------------------------------------------------------------------------------------------


def of_dxf(text: str, name: str) -> Drawn:
    """The closed loops of a DXF's model space, blocks unfolded; loose lines and arcs joined in any order.

    Raises:
        Refusal: for what is no DXF, or one with more in it than any outline has.
    """
    from ezdxf.filemanagement import read
    from ezdxf.lldxf.const import DXFError

    units = {1: "in", 4: "mm", 5: "cm", 6: "m"}
    try:
        document = read(io.StringIO(text))
        kinds: Counter[str] = Counter()
        entities = list(_unfolded(document.modelspace(), kinds, name))
        loops, gap = _dxf_loops(entities)
        unit = units.get(int(document.header.get("$INSUNITS", 0)))
    except (DXFError, ValueError, KeyError, IndexError, TypeError, AttributeError, ZeroDivisionError) as error:
        if isinstance(error, Refusal):
            raise
        raise Refusal(
            f"{name} is no DXF that can be read ({type(error).__name__}); save it again as R2000 or later"
        ) from None
    return Drawn(_ordered(loops), unit, tuple(sorted(kinds.items())), gap)


def _unfolded(space: Any, kinds: Counter[str], name: str, deep: int = 0) -> Iterator[Any]:
    """The entities of a layout, blocks put in where they are inserted."""
    for entity in space:
        kind = entity.dxftype()
        kinds[kind] += 1
        if sum(kinds.values()) > MOST_ENTITIES:
            raise Refusal(f"{name} holds more than {MOST_ENTITIES:,} things; save the outline alone")
        if kind == "INSERT" and deep < MOST_DEEP:
            yield from _unfolded(entity.virtual_entities(), kinds, name, deep + 1)
        elif kind in DXF_KINDS:
            yield entity


def _dxf_loops(entities: list[Any]) -> tuple[list[Loop], tuple[float, float, float] | None]:
    """(closed loops, the widest gap of what does not close)."""
    from ezdxf import edgeminer, edgesmith
    from ezdxf.bbox import extents

    box = extents(entities)
    long = float(box.size.vec2.magnitude) if box.has_data else 1.0
    gap, sagitta = GAP_SHARE * long, SAGITTA_SHARE * long
    closed: list[Any] = []
    open_: list[Any] = []
    for entity in entities:
        (closed if edgesmith.is_closed_entity(entity) else open_).append(entity)
    loops = [loop for e in closed if (loop := _closed(e, sagitta))]
    edges = list(edgesmith.edges_from_entities_2d(open_, gap_tol=gap))
    widest: tuple[float, float, float] | None = None
    for chain in edgeminer.find_all_simple_chains(edgeminer.Deposit(edges, gap_tol=gap)) if edges else ():
        first, last = chain[0].start, chain[-1].end
        off = first.distance(last)
        if off <= gap:
            line = edgesmith.lwpolyline_from_chain(chain, max_sagitta=sagitta)
            points = [(float(x), float(y), float(b)) for x, y, b in line.get_points("xyb")]
            while len(points) > 2 and math.dist(points[0][:2], points[-1][:2]) <= gap:
                points.pop()
            loops.append(points)
        elif widest is None or off > widest[0]:
            widest = (float(off), float(last.x), float(last.y))
    return loops, widest


def _closed(entity: Any, sagitta: float) -> Loop:
    """A closed entity as a loop: polylines keep their arcs, circles are two arcs, free curves become chords."""
    kind = entity.dxftype()
    if kind == "CIRCLE":
        c, r = entity.dxf.center, float(entity.dxf.radius)
        return [(float(c.x) - r, float(c.y), 1.0), (float(c.x) + r, float(c.y), 1.0)]
    if kind == "LWPOLYLINE":
        return _opened([(float(x), float(y), float(b)) for x, y, b in entity.get_points("xyb")])
    if kind == "POLYLINE":
        return _opened(
            [(float(v.dxf.location.x), float(v.dxf.location.y), float(v.dxf.bulge)) for v in entity.vertices]
        )
    from ezdxf.path import make_path

    return _opened([(float(v.x), float(v.y), 0.0) for v in make_path(entity).flattening(sagitta)])


def _opened(points: Loop) -> Loop:
    """Without the last point where it is the first again."""
    return points[:-1] if len(points) > 2 and math.dist(points[0][:2], points[-1][:2]) < 1e-9 else points


# -- SVG -----------------------------------------------------------------------------------------------------------------


def of_svg(text: str, name: str) -> Drawn:
    """The closed loops of an SVG, transforms and its view box applied, y upward; curves as chords.

    Raises:
        Refusal: for what is no SVG, or declares entities of its own.
    """
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise Refusal(f"{name} declares entities of its own; save it as plain SVG")
    from xml.etree import ElementTree

    import svgelements

    try:
        page = ElementTree.fromstring(text)
        _refuse_bombs(page)
        sized = _sized(page)
        sized = _sized_within(page) or sized
        root = svgelements.SVG.parse(io.StringIO(ElementTree.tostring(page, "unicode")), reify=True, ppi=96.0)
        shapes = [e for e in root.elements() if isinstance(e, svgelements.Shape) and not _background(e)]
    except ElementTree.ParseError as error:
        raise Refusal(f"{name} is no whole SVG ({error})") from None
    except Refusal as error:
        raise Refusal(f"{name}: {error}") from None
    except (ValueError, TypeError, AttributeError, KeyError, IndexError, ZeroDivisionError, RecursionError) as error:
        raise Refusal(f"{name} is no SVG that can be read ({type(error).__name__}); save it as plain SVG") from None
    if len(shapes) > MOST_ENTITIES:
        raise Refusal(f"{name} holds more than {MOST_ENTITIES:,} things; save the outline alone")
    kinds = Counter(type(e).__name__.upper() for e in shapes)
    loops: list[Loop] = []
    for shape in shapes:
        for part in svgelements.Path(shape).as_subpaths():
            loop = _svg_loop(svgelements.Path(part))
            if loop:
                loops.append(loop)
    return Drawn(_ordered(loops), "px" if sized else None, tuple(sorted(kinds.items())))


def _refuse_bombs(page: Any) -> None:
    """Shapes that are used again and again, within what is used again, grow without end when they are put in."""
    uses = [e for e in page.iter() if isinstance(e.tag, str) and e.tag.rpartition("}")[2] == "use"]
    if not uses:
        return
    again = {id(e) for e in uses}
    named = {e.get("id"): e for e in page.iter() if e.get("id")}
    total = 0
    for use in uses:
        link = use.get("href") or use.get("{http://www.w3.org/1999/xlink}href") or ""
        target = named.get(link.lstrip("#"))
        inner = {id(e) for e in target.iter()} if target is not None else set()
        total += len(inner)
        if inner & again or total > MOST_ENTITIES:
            raise Refusal("it uses shapes that use shapes, or more of them than an outline has; save the outline alone")


def _sized(page: Any) -> bool:
    """Whether a page says how large it is, in a unit. One of two sizes gives the other by the view box; a page whose sizes or box
    cannot be read is taken as it is drawn."""
    box = (
        [float(x) for x in re.findall(NUMBER, page.get("viewBox", ""))]
        if BOX.fullmatch(page.get("viewBox", ""))
        else []
    )
    own = {name: SIZE.fullmatch(page.get(name, "")) for name in ("width", "height")}
    if len(box) != 4 or not all(0 < v < math.inf for v in box[2:]) or not any(own.values()):
        for name in ("viewBox", "width", "height"):
            page.attrib.pop(name, None)
        return False
    for name, other, share in (("height", "width", box[3] / box[2]), ("width", "height", box[2] / box[3])):
        if own[name] is None and (said := own[other]) is not None:
            page.set(name, f"{float(said[1]) * share}{said[2]}")
    return any(said is not None and said[2] for said in own.values())


def _sized_within(page: Any) -> bool:
    """Whether a rectangle says its size in a unit. Refusal for one that is said in none that there is."""
    found = False
    for element in page.iter():
        if isinstance(element.tag, str) and element.tag.rpartition("}")[2] == "rect":
            for name in ("width", "height"):
                said = element.get(name, "0")
                if "%" in said:
                    continue
                match = SIZE.fullmatch(said)
                if match is None:
                    raise Refusal(
                        f"a rectangle measures {said[:20]!r}; sizes are numbers, or in mm, cm, in, pt, pc, px or q"
                    )
                found = found or bool(match[2])
    return found


def _background(shape: Any) -> bool:
    """Whether a shape's size is a share of the page: a background, and no drawing."""
    said = shape.values.get("attributes", {})
    return any("%" in str(said.get(name, "")) for name in ("x", "y", "width", "height", "r", "cx", "cy"))


def _svg_loop(path: Any) -> Loop:
    """A subpath as a loop; nothing where it is open or has no length."""
    import svgelements

    points: Loop = []
    closed = False
    for segment in path:
        if isinstance(segment, svgelements.Move):
            points.append((float(segment.end.x), -float(segment.end.y), 0.0))
            continue
        if isinstance(segment, svgelements.Close):
            closed = True
            continue
        if segment.end is None or not points:
            continue
        count = 1 if isinstance(segment, svgelements.Line) else _pieces(segment)
        for k in range(1, count + 1):
            p = segment.point(k / count)
            points.append((float(p.x), -float(p.y), 0.0))
    if len(points) > 2 and math.dist(points[0][:2], points[-1][:2]) <= 1e-6 * _long(points):
        closed = True
        points.pop()
    return points if closed and len(points) > 2 else []


def _pieces(segment: Any) -> int:
    """How many chords a curve needs to stay within a share of its own length."""
    for count in (4, 8, 16, 32, 64, 128):
        row = [segment.point(k / count) for k in range(count + 1)]
        long = sum(math.dist((a.x, a.y), (b.x, b.y)) for a, b in pairwise(row))
        off = max(
            math.dist(((a.x + b.x) / 2, (a.y + b.y) / 2), ((m := segment.point((k + 0.5) / count)).x, m.y))
            for k, (a, b) in enumerate(pairwise(row))
        )
        if off <= 2e-4 * max(long, 1e-12):
            return count
    return 128


def _long(points: Loop) -> float:
    xs, ys = [p[0] for p in points], [p[1] for p in points]
    return max(math.hypot(max(xs) - min(xs), max(ys) - min(ys)), 1e-12)
