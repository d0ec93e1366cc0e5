"""SVG of a blank in millimetres: groups as the layers of the DXF. Arcs stay arcs; inside face up, as in the DXF."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.flat.blank import Blank
from bathyx.files import write_text
from bathyx.papers.machine.words_on import words_on

INKS = {
    "CUT": "#000000",
    "HOLES": "#1c4e8a",
    "LATER": "#b35c00",
    "BEND_UP": "#0b7285",
    "BEND_DOWN": "#a61e4d",
    "MARK": "#868e96",
    "TEXT": "#495057",
}
EDGE_MM = 5.0


def write_svg(blank: Blank, path: Path, said: Sequence[str] = ()) -> Path:
    """Write `blank` to `path`, whole or not at all; its size on the page is its size in mm.

    Args:
        blank: to be cut.
        path: file to write.
        said: lines that stand under it: name, metal, count, job.
    """
    low, high = blank.outline.bounds
    tall = max(4.0, 0.025 * min(blank.size_mm))
    foot = 1.6 * tall * len(said)
    corner, size = low - EDGE_MM - [0.0, foot], high - low + 2 * EDGE_MM + [0.0, foot]
    parts: dict[str, list[str]] = {name: [] for name in INKS}

    def at(point: Array) -> str:
        """A place with y down, as SVG has it."""
        return f"{point[0] - corner[0]:.6f} {corner[1] + size[1] - point[1]:.6f}"

    parts["CUT"].append(f'<path d="{_border(blank, at)}"/>')
    for hole in blank.holes:
        if hole.border is not None:
            parts["LATER" if hole.waits else "HOLES"].append(
                f'<path d="M {" L ".join(at(p) for p in hole.border)} Z"/>'
            )
        else:
            x, y = at(hole.centre).split()
            parts["LATER" if hole.waits else "HOLES"].append(
                f'<circle cx="{x}" cy="{y}" r="{hole.diameter_mm / 2:.6f}"/>'
            )
    for bend in blank.bends:
        parts["BEND_UP" if bend.up else "BEND_DOWN"].append(f'<path d="M {at(bend.start)} L {at(bend.end)}"/>')
    for mark in blank.marks:
        if np.linalg.norm(mark.end - mark.start) > 0.01:
            parts["MARK"].append(f'<path d="M {at(mark.start)} L {at(mark.end)}"/>')
    for mark, place in words_on(blank.marks, tall):
        x, y = at(place).split()
        text = escape(mark.text)
        parts["TEXT"].append(f'<text x="{x}" y="{y}" font-size="{tall:.2f}" text-anchor="middle">{text}</text>')
    for k, line in enumerate(said, start=1):
        x, y = at(low - [0.0, 1.6 * k * tall]).split()
        parts["TEXT"].append(f'<text x="{x}" y="{y}" font-size="{tall:.2f}">{escape(line)}</text>')
    groups = "\n".join(f'<g id="{name}" {_ink(name)}>\n' + "\n".join(rows) + "\n</g>" for name, rows in parts.items())
    w, h = (f"{float(v):.6f}" for v in size)
    head = f'<svg xmlns="http://www.w3.org/2000/svg" width="{w}mm" height="{h}mm" viewBox="0 0 {w} {h}"'
    write_text(path, f"{head} aria-label={quoteattr(blank.name)}>\n{groups}\n</svg>\n")
    return path


def _ink(name: str) -> str:
    """Lines are drawn and words are filled: a word without either is not seen."""
    if name == "TEXT":
        return f'fill="{INKS[name]}" stroke="none" font-family="sans-serif"'
    return f'fill="none" stroke="{INKS[name]}" stroke-width="0.3"'


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
