"""Reading a tank's profile from DXF, SVG or CSV: one closed line of straight runs, corners rounded by tangent arcs in DXF.

A file that does not say its unit is not guessed at: the unit is asked for.
"""

from __future__ import annotations

import io
import math
import re
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

from bathyx.core.tank.outline import MOST_CORNERS, corners_of
from bathyx.errors import Refusal
from bathyx.files.read import read_text

UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}
DXF_UNITS = {1: "in", 4: "mm", 5: "cm", 6: "m"}
JOIN_MM = 0.05
SVG_UNITS = {
    "": 1.0,
    "px": 1.0,
    "pt": 96 / 72,
    "pc": 16.0,
    "mm": 96 / 25.4,
    "cm": 96 / 2.54,
    "in": 96.0,
    "q": 96 / 101.6,
}
NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?"
Corner = dict[str, Any]


def read_profile(path: Path, unit: str | None = None) -> list[Corner]:
    """The corners of the profile in a file, mm, z up. `unit`: mm, cm, m or in, where the file does not say or is wrong.

    Raises Refusal that says what the file lacks: no closed line, arcs that are not tangent, an unknown unit.
    """
    if unit is not None and unit not in UNITS:
        raise Refusal(f"no unit {unit!r}; there are {', '.join(UNITS)}")
    text = read_text(path)
    kind = path.suffix.lower()
    if kind == ".dxf":
        corners, own = _of_dxf(text, path.name)
    elif kind == ".svg":
        corners, own = _of_svg(text, path.name)
    elif kind in (".csv", ".tsv", ".txt"):
        corners, own = corners_of(text), "mm"
    else:
        raise Refusal(f"{path.name}: profiles are read from .dxf, .svg and .csv files")
    chosen = unit or own
    if chosen is None:
        raise Refusal(f"{path.name} does not say its unit; say it: one of {', '.join(UNITS)}")
    if len(corners) > MOST_CORNERS:
        raise Refusal(
            f"{path.name}: the profile has {len(corners)} corners; {MOST_CORNERS} at most: draw curves as arcs at corners"
        )
    if not all(math.isfinite(v) for corner in corners for v in corner.values() if isinstance(v, float)):
        raise Refusal(f"{path.name}: a corner lies beyond all numbers; look at the file's coordinates")
    scale = UNITS[chosen]
    return [{k: v * scale if isinstance(v, float) else v for k, v in corner.items()} for corner in corners]


def _of_dxf(text: str, name: str) -> tuple[list[Corner], str | None]:
    from ezdxf.entities.lwpolyline import LWPolyline
    from ezdxf.filemanagement import read
    from ezdxf.lldxf.const import DXFError

    try:
        document = read(io.StringIO(text))
        model = document.modelspace()  # a spoilt file may have none
    except (DXFError, ValueError, KeyError, IndexError, TypeError, AttributeError) as error:
        raise Refusal(
            f"{name} is no DXF that can be read ({type(error).__name__}); save it again as R2000 or later"
        ) from None
    closed: list[list[tuple[float, float, float]]] = []
    for entity in model.query("LWPOLYLINE"):
        assert isinstance(entity, LWPolyline)
        points = [(float(x), float(y), float(b)) for x, y, b in entity.get_points("xyb")]
        if entity.closed or (len(points) > 3 and math.dist(points[0][:2], points[-1][:2]) < JOIN_MM):
            closed.append(points if entity.closed else points[:-1])
    chain = _chained([(tuple(e.dxf.start)[:2], tuple(e.dxf.end)[:2]) for e in model.query("LINE")])
    if chain:
        closed.append([(x, y, 0.0) for x, y in chain])
    if not closed:
        raise Refusal(f"{name} holds no closed polyline and no ring of lines; draw the profile as one closed polyline")
    largest = max(closed, key=lambda points: abs(_area(points)))
    return _with_radii(largest, name), DXF_UNITS.get(int(document.header.get("$INSUNITS", 0)))


def _area(points: list[tuple[float, float, float]]) -> float:
    total = 0.0
    for (ax, ay, _), (bx, by, _) in zip(points, [*points[1:], points[0]], strict=True):
        total += ax * by - bx * ay
    return total / 2


def _chained(lines: list[tuple[Any, Any]]) -> list[tuple[float, float]]:
    """Corners of a ring of loose lines; nothing where they do not close."""
    if len(lines) < 3:
        return []
    left = list(lines)
    first, end = left.pop(0)
    found = [first]
    while left:
        k = next((k for k, (a, b) in enumerate(left) if min(math.dist(a, end), math.dist(b, end)) < JOIN_MM), None)
        if k is None:
            return []
        a, b = left.pop(k)
        found.append(end)
        end = b if math.dist(a, end) < JOIN_MM else a
    return [(float(x), float(y)) for x, y in found] if math.dist(end, first) < JOIN_MM else []


def _with_radii(points: list[tuple[float, float, float]], name: str) -> list[Corner]:
    """Corners with arcs between straight runs taken for the radii of the corners that they round."""
    n = len(points)
    found: list[Corner] = []
    for i, (x, y, bulge) in enumerate(points):
        before = points[i - 1][2]
        if abs(bulge) < 1e-9:
            if abs(before) < 1e-9:
                found.append({"x_mm": x, "z_mm": y})
            continue
        px, py, _ = points[i - 1]
        qx, qy, after = points[(i + 1) % n]
        sx, sy, _ = points[(i + 2) % n]
        if abs(before) > 1e-9 or abs(after) > 1e-9:
            raise Refusal(
                f"{name}: an arc at {x:.1f}, {y:.1f} runs into another; only corners rounded between straight runs are read"
            )
        corner = _meeting((px, py), (x, y), (sx, sy), (qx, qy))
        half = math.atan(abs(bulge)) * 2
        radius = math.dist((x, y), (qx, qy)) / 2 / math.sin(half)
        legs = () if corner is None else (math.dist(corner, (x, y)), math.dist(corner, (qx, qy)))
        if corner is None or any(abs(leg - radius * math.tan(half)) > 0.02 * radius for leg in legs):
            raise Refusal(
                f"{name}: the arc at {x:.1f}, {y:.1f} is not tangent to the runs beside it; draw it as a rounded corner"
            )
        found.append({"x_mm": corner[0], "z_mm": corner[1], "cut": "radius", "size_mm": radius})
    return found


def _meeting(a: Any, b: Any, c: Any, d: Any) -> tuple[float, float] | None:
    """Where the line a to b meets the line c to d."""
    ux, uy, vx, vy = b[0] - a[0], b[1] - a[1], d[0] - c[0], d[1] - c[1]
    det = ux * vy - uy * vx
    if abs(det) < 1e-12:
        return None
    t = ((c[0] - a[0]) * vy - (c[1] - a[1]) * vx) / det
    return a[0] + t * ux, a[1] + t * uy


def _of_svg(text: str, name: str) -> tuple[list[Corner], str | None]:
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise Refusal(f"{name} declares entities of its own; save it as plain SVG")
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError as error:
        raise Refusal(f"{name} is no whole SVG ({error})") from None
    shapes: list[list[tuple[float, float]]] = []
    inches = False  # a size with a unit says what a user unit is: an inch has 96
    for element in root.iter():
        tag = element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""
        if element.get("transform"):
            raise Refusal(f"{name}: a shape is turned or moved by a transform; apply it to the points first")
        if tag in ("polygon", "polyline"):
            numbers = _numbers(element.get("points", ""))
            shapes.append(list(zip(numbers[0::2], numbers[1::2], strict=False)))
        elif tag == "path":
            shapes.append(_path(element.get("d", ""), name))
        elif tag == "rect":
            sides = [element.get(key, "0") for key in ("x", "y", "width", "height")]
            if not any("%" in side for side in sides):  # a share of the page is a background, and no drawing
                inches = inches or any(side.strip()[-1:].isalpha() for side in sides)
                x, y, w, h = (_svg_length(side, name) for side in sides)
                shapes.append([(x, y), (x + w, y), (x + w, y + h), (x, y + h)])
    shapes = [s[:-1] if len(s) > 3 and math.dist(s[0], s[-1]) < 1e-6 else s for s in shapes if len(s) >= 3]
    if not shapes:
        raise Refusal(f"{name} holds no polygon and no closed path of straight runs")
    largest = max(shapes, key=lambda s: abs(_area([(x, y, 0.0) for x, y in s])))
    width = re.fullmatch(rf"\s*({NUMBER})\s*(mm|cm|in)\s*", root.get("width", ""), re.IGNORECASE)
    view = root.get("viewBox", "")
    box = (
        [float(x) for x in re.split(r"[\s,]+", view.strip())]
        if re.fullmatch(rf"\s*{NUMBER}(?:[\s,]+{NUMBER}){{3}}\s*", view)
        else []
    )
    unit, per = ("mm", 25.4 / 96) if inches and not width else (None, 1.0)
    if width and len(box) == 4 and 0 < box[2] < math.inf and 0 < float(width[1]) < math.inf:
        unit, per = width[2].lower(), float(width[1]) / box[2]
    return [{"x_mm": x * per, "z_mm": -y * per} for x, y in largest], unit  # SVG counts y downward


def _numbers(text: str) -> list[float]:
    return [float(x) for x in re.findall(NUMBER, text, re.IGNORECASE)]


def _svg_length(text: str, name: str) -> float:
    """A length of an SVG in its user units, of which an inch has 96. Refusal for what is none."""
    found = re.fullmatch(rf"\s*({NUMBER})\s*([a-z]*)\s*", text, re.IGNORECASE)
    if found is None or found[2].lower() not in SVG_UNITS:
        raise Refusal(
            f"{name}: a rectangle measures {text[:20]!r}; sizes are numbers, or in {', '.join(u for u in SVG_UNITS if u)}"
        )
    return float(found[1]) * SVG_UNITS[found[2].lower()]


def _path(d: str, name: str) -> list[tuple[float, float]]:
    """Points of a path of straight runs."""
    found: list[tuple[float, float]] = []
    x = y = 0.0
    for command, rest in re.findall(r"([a-df-zA-DF-Z])((?:[^a-zA-Z]|[eE])*)", d):
        numbers = _numbers(rest)
        upper, relative = command.upper(), command.islower()
        if upper in "ML":
            for dx, dy in zip(numbers[0::2], numbers[1::2], strict=False):
                x, y = (x + dx, y + dy) if relative else (dx, dy)
                found.append((x, y))
        elif upper == "H":
            for dx in numbers:
                x = x + dx if relative else dx
                found.append((x, y))
        elif upper == "V":
            for dy in numbers:
                y = y + dy if relative else dy
                found.append((x, y))
        elif upper == "Z":
            break
        else:
            raise Refusal(
                f"{name}: its path has curves ({command}); only straight runs are read, round corners afterwards"
            )
    return found
