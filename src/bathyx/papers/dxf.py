"""DXF of a blank: R2010, millimetres, layers CUT, BEND_UP, BEND_DOWN and MARK. Arcs stay arcs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from ezdxf.enums import TextEntityAlignment
from ezdxf.filemanagement import new
from ezdxf.units import MM

from bathyx.core.sheet.flat.blank import Blank

LAYERS = {"CUT": 7, "BEND_UP": 3, "BEND_DOWN": 6, "MARK": 5}


def plain(text: str) -> str:
    """`text` without what a reader of DXF takes for a code: %%c, \\U+00D8 and the like."""
    return text.replace("%%", "% %").replace("\\", "/").replace("^", " ")


def write_dxf(blank: Blank, path: Path) -> Path:
    """Write `blank` to `path`, whole or not at all. Inside face up: BEND_UP bends toward the reader."""
    document = new("R2010", units=MM)
    document.header["$MEASUREMENT"] = 1
    document.layers.get("0").color = 8
    for name, colour in LAYERS.items():
        document.layers.add(name, color=colour, linetype="CONTINUOUS")
    space = document.modelspace()
    points = [
        (float(x), float(y), float(b)) for (x, y), b in zip(blank.outline.points, blank.outline.bulges, strict=True)
    ]
    space.add_lwpolyline(points, format="xyb", close=True, dxfattribs={"layer": "CUT"})
    for hole in blank.holes:
        if hole.border is not None:
            space.add_lwpolyline(hole.border.tolist(), close=True, dxfattribs={"layer": "CUT"})
            continue
        layer = "MARK" if hole.waits else "CUT"  # what is cut after bending is marked, so that no beam cuts it flat
        space.add_circle(tuple(map(float, hole.centre)), hole.diameter_mm / 2, dxfattribs={"layer": layer})
    for bend in blank.bends:
        layer = "BEND_UP" if bend.up else "BEND_DOWN"
        space.add_line(tuple(map(float, bend.start)), tuple(map(float, bend.end)), dxfattribs={"layer": layer})
    for mark in blank.marks:
        if np.linalg.norm(mark.end - mark.start) > 0.01:
            space.add_line(tuple(map(float, mark.start)), tuple(map(float, mark.end)), dxfattribs={"layer": "MARK"})
        tall = max(3.0, 0.02 * min(blank.size_mm))
        text = space.add_text(plain(mark.text), height=tall, dxfattribs={"layer": "MARK"})
        middle = (mark.start + mark.end) / 2
        text.set_placement((float(middle[0]), float(middle[1])), align=TextEntityAlignment.MIDDLE_CENTER)
    part = path.with_name(path.name + ".part")
    document.saveas(part)
    part.replace(path)
    return path
