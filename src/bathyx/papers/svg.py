"""SVG of a blank in millimetres: groups CUT, BEND_UP, BEND_DOWN and MARK. Arcs stay arcs; inside face up, as in the DXF."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.flat.blank import Blank
from bathyx.files import write_text

INKS = {"CUT": "#000000", "BEND_UP": "#0b7285", "BEND_DOWN": "#a61e4d", "MARK": "#868e96"}
EDGE_MM = 5.0


def write_svg(blank: Blank, path: Path) -> Path:
    """Write `blank` to `path`, whole or not at all; its size on the page is its size in mm."""
    low, high = blank.outline.bounds
    corner, size = low - EDGE_MM, high - low + 2 * EDGE_MM
    parts: dict[str, list[str]] = {name: [] for name in INKS}

    def at(point: Array) -> str:
        """A place with y down, as SVG has it."""
        return f"{point[0] - corner[0]:.6f} {corner[1] + size[1] - point[1]:.6f}"

    parts["CUT"].append(f'<path d="{_border(blank, at)}"/>')
    for hole in blank.holes:
        if hole.border is not None:
            parts["CUT"].append(f'<path d="M {" L ".join(at(p) for p in hole.border)} Z"/>')
        else:
            x, y = at(hole.centre).split()
            parts["MARK" if hole.waits else "CUT"].append(f'<circle cx="{x}" cy="{y}" r="{hole.diameter_mm / 2:.6f}"/>')
    for bend in blank.bends:
        parts["BEND_UP" if bend.up else "BEND_DOWN"].append(f'<path d="M {at(bend.start)} L {at(bend.end)}"/>')
    for mark in blank.marks:
        if np.linalg.norm(mark.end - mark.start) > 0.01:
            parts["MARK"].append(f'<path d="M {at(mark.start)} L {at(mark.end)}"/>')
        x, y = at((mark.start + mark.end) / 2).split()
        text = escape(mark.text)
        parts["MARK"].append(f'<text x="{x}" y="{y}" font-size="8" text-anchor="middle" stroke="none">{text}</text>')
    groups = "\n".join(
        f'<g id="{name}" fill="none" stroke="{INKS[name]}" stroke-width="0.3">\n' + "\n".join(rows) + "\n</g>"
        for name, rows in parts.items()
    )
    w, h = (f"{float(v):.6f}" for v in size)
    head = f'<svg xmlns="http://www.w3.org/2000/svg" width="{w}mm" height="{h}mm" viewBox="0 0 {w} {h}"'
    write_text(path, f"{head} aria-label={quoteattr(blank.name)}>\n{groups}\n</svg>\n")
    return path


def _border(blank: Blank, at: Callable[[Array], str]) -> str:
    """The outline as a path: lines, and arcs by their radius."""
    points, bulges = blank.outline.points, blank.outline.bulges
    said = [f"M {at(points[0])}"]
    for k, bulge in enumerate(bulges):
        p, q = points[k], points[(k + 1) % len(points)]
        if abs(bulge) < 1e-12:
            said.append(f"L {at(q)}")
            continue
        sweep = 4 * math.atan(abs(float(bulge)))
        radius = math.dist(p, q) / (2 * math.sin(sweep / 2))
        said.append(f"A {radius:.6f} {radius:.6f} 0 {int(sweep > math.pi)} {int(bulge < 0)} {at(q)}")
    return " ".join(said) + " Z"
