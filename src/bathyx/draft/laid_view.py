"""What is laid on a tank: straps over it and doublers on its panels, in the flat drawings and in the round."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.inside.straps import Laid
from bathyx.core.sheet.makeup.doublers import border_of, seated
from bathyx.draft.picture import Item, Label, Poly

Flatten = Callable[[Array], Array]


def laid_plan(e: Evaluation) -> list[Item]:
    """Straps and the doublers of what looks up, from above."""
    items: list[Item] = []
    for number, spots in _doublers(e):
        if _looks_up(spots):
            items.append(_doubler(spots[:, :2], number))
    for band in e.results.straps:
        low, high = float(band.outer[:, 0].min()), float(band.outer[:, 0].max())
        items += _strip(band, low, high, "S")
    return items


def laid_side(e: Evaluation) -> list[Item]:
    """Straps from the side."""
    items: list[Item] = []
    for band in e.results.straps:
        items += _strip(band, float(band.outer[:, 1].min()), float(band.outer[:, 1].max()), "")
    return items


def laid_end(e: Evaluation) -> list[Item]:
    """The first strap as a band round the section."""
    return [_ring(band) for band in e.results.straps[:1]]


def laid_face(e: Evaluation, name: str, way: float) -> list[Item]:
    """Doublers of a face that is looked at straight on; `way` as `Sight.way` says."""
    face = e.results.shell.by_id[name]
    return [
        _doubler(face.uv(spots) * np.array([way, 1.0]), number)
        for number, spots in _doublers(e)
        if e.job.makeup.doublers[number].face == name
    ]


def laid_solid(e: Evaluation, flat: Flatten, into: Array, lit: str = "") -> list[Item]:
    """Straps and outside doublers in the round, as far as they look at the eye."""
    items: list[Item] = []
    for number, spots in _doublers(e):
        face = e.results.shell.by_id[e.job.makeup.doublers[number].face]
        if float(face.normal @ into) < 0:
            items.append(_doubler(flat(spots), number, lit))
    for band in e.results.straps:
        tag = f"strap:{band.number}"
        for (a, b), (p, q) in zip(pairwise(band.outer), pairwise(band.outer), strict=True):
            y, z = q - p
            if (
                float(np.array([0.0, z, -y]) @ into) < 0
            ):  # the band runs from the right side up: outward is to its right
                corners = [
                    (x, *spot) for x, spot in ((band.from_mm, a), (band.to_mm, a), (band.to_mm, b), (band.from_mm, b))
                ]
                items.append(Poly(flat(np.array(corners)), "select" if tag == lit else "thin", "ring", 0.6, tag=tag))
    return items


def _strip(band: Laid, low: float, high: float, name: str) -> list[Item]:
    tag = f"strap:{band.number}"
    corners = np.array([(band.from_mm, low), (band.to_mm, low), (band.to_mm, high), (band.from_mm, high)])
    items: list[Item] = [Poly(corners, "ink", "ring", 1.4, tag=tag)]
    if name:
        items.append(
            Label(np.array([band.strap.at_mm, high]), f"{name}{band.number + 1}", 9.5, "ink", shift=(0, 9), tag=tag)
        )
    return items


def _ring(band: Laid) -> Poly:
    return Poly(np.concatenate([band.outer, band.inner[::-1]]), "thin", "ring", 0.8, tag=f"strap:{band.number}")


def _doubler(spots: Array, number: int, lit: str = "") -> Poly:
    tag = f"doubler:{number}"
    return Poly(spots, "select" if tag == lit else "ink", "ring", 1.4, tag=tag)


def _doublers(e: Evaluation) -> list[tuple[int, Array]]:
    """(number, (4, 3) corners) of doublers that lie on a panel."""
    rows = list(e.job.makeup.doublers)
    return [(rows.index(d), border_of(d, face)) for d, face in seated(e.results.shell, rows)]


def _looks_up(spots: Array) -> bool:
    return abs(float(np.cross(spots[1] - spots[0], spots[2] - spots[1])[2])) > 1e-6
