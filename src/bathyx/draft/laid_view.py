"""What is laid on a tank: straps over it and doublers on its panels, in the flat drawings and in the round; bands round it."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.geometry.shell import Array
from bathyx.core.inside.straps import Laid
from bathyx.core.sheet.makeup.bands import BandOn
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
    """Straps and bands from the side."""
    items: list[Item] = [_band_side(corners) for made in e.results.bands for corners in _whole(made)]
    for band in e.results.straps:
        items += _strip(band, float(band.outer[:, 1].min()), float(band.outer[:, 1].max()), "")
    return items


def laid_end(e: Evaluation) -> list[Item]:
    """The first strap as a band round the section, and bands of steel box cut through beside it."""
    return [*(_ring(band) for band in e.results.straps[:1]), *_bands_cut(e)]


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
    items: list[Item] = [*_bands_solid(e, flat, into)]
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


def _whole(made: BandOn) -> list[Array]:
    """A band's corners, all its pieces together; none where it has no box."""
    return [np.array(made.blocks).reshape(-1, 3)] if made.box is not None and made.blocks else []


def _band_side(corners: Array) -> Poly:
    (x0, _, z0), (x1, _, z1) = corners.min(axis=0), corners.max(axis=0)
    return Poly(np.array([(x0, z0), (x1, z0), (x1, z1), (x0, z1)]), "ink", "ring", 1.2)


def _bands_cut(e: Evaluation) -> list[Item]:
    """Both sides of each band where the section cuts it, in (across, up)."""
    items: list[Item] = []
    for made in e.results.bands:
        for corners in _whole(made):
            (_, y0, z0), (_, y1, z1), side = corners.min(axis=0), corners.max(axis=0), made.box[0] if made.box else 0
            for a, b in ((y0, y0 + side), (y1 - side, y1)):
                items.append(Poly(np.array([(a, z0), (b, z0), (b, z1), (a, z1)]), "ink", "ring", 1.2))
    return items


def _bands_solid(e: Evaluation, flat: Flatten, into: Array) -> list[Item]:
    """The outsides and tops of bands' pieces that look at the eye."""
    items: list[Item] = []
    for made in e.results.bands:
        for block in made.blocks if made.box is not None else ():
            c = np.array(block)
            for ring in ((4, 5, 7, 6), (2, 3, 7, 6)):
                spots = c[list(ring)]
                normal = np.cross(spots[1] - spots[0], spots[2] - spots[1])
                normal = normal if float(normal @ (spots.mean(axis=0) - c.mean(axis=0))) > 0 else -normal
                if float(normal @ into) < 0:
                    items.append(Poly(flat(spots), "thin", "ring", 0.6))
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
