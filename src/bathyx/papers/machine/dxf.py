"""DXF of a blank: R2010, millimetres, a layer for each tool. Arcs stay arcs.

CUT is the outline, HOLES what is cut within it, LATER what is cut after bending, BEND_UP and BEND_DOWN the lines for the brake,
MARK lines to draw, TEXT words: of marks, and what the piece is.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from ezdxf.enums import TextEntityAlignment
from ezdxf.filemanagement import new
from ezdxf.units import MM

from bathyx.core.sheet.flat.blank import Blank
from bathyx.papers.machine.words_on import words_on

LAYERS = {"CUT": 7, "HOLES": 4, "LATER": 30, "BEND_UP": 3, "BEND_DOWN": 6, "MARK": 5, "TEXT": 8}


def plain(text: str) -> str:
    """`text` without what a reader of DXF takes for a code: %%c, \\U+00D8 and the like."""
    return text.replace("%%", "% %").replace("\\", "/").replace("^", " ")


def write_dxf(blank: Blank, path: Path, said: Sequence[str] = ()) -> Path:
    """Write `blank` to `path`, whole or not at all. Inside face up: BEND_UP bends toward the reader.

    Args:
        blank: to be cut.
        path: file to write.
        said: lines that stand beside it on TEXT: name, metal, count, job.
    """
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
            space.add_lwpolyline(
                hole.border.tolist(), close=True, dxfattribs={"layer": "LATER" if hole.waits else "HOLES"}
            )
            continue
        layer = (
            "LATER" if hole.waits else "HOLES"
        )  # what is cut after bending stands apart, so that no beam cuts it flat
        space.add_circle(tuple(map(float, hole.centre)), hole.diameter_mm / 2, dxfattribs={"layer": layer})
    for bend in blank.bends:
        layer = "BEND_UP" if bend.up else "BEND_DOWN"
        space.add_line(tuple(map(float, bend.start)), tuple(map(float, bend.end)), dxfattribs={"layer": layer})
    for mark in blank.marks:
        if np.linalg.norm(mark.end - mark.start) > 0.01:
            space.add_line(tuple(map(float, mark.start)), tuple(map(float, mark.end)), dxfattribs={"layer": "MARK"})
    tall = max(3.0, 0.02 * min(blank.size_mm))
    for mark, place in words_on(blank.marks, tall):
        text = space.add_text(plain(mark.text), height=tall, dxfattribs={"layer": "TEXT"})
        text.set_placement((float(place[0]), float(place[1])), align=TextEntityAlignment.MIDDLE_CENTER)
    low, high = blank.outline.bounds
    tall = max(4.0, 0.025 * min(blank.size_mm))
    for k, line in enumerate(said, start=1):
        words = space.add_text(plain(line), height=tall, dxfattribs={"layer": "TEXT"})
        words.set_placement((float(low[0]), float(low[1]) - 1.8 * k * tall))
    ends = (*map(float, low), 0.0), (*map(float, high), 0.0)
    space.reset_extents(*ends)
    document.header["$EXTMIN"], document.header["$EXTMAX"] = (
        ends  # the library leaves the header alone where a corner is at 0
    )
    document.set_modelspace_vport(float(max(high - low)) * 1.3, center=tuple(map(float, (low + high) / 2)))
    part = path.with_name(path.name + ".part")
    document.saveas(part)
    part.replace(path)
    return path
