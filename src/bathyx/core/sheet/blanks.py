"""Every flat piece of the tank: shell blanks with holes and baffle marks, and baffle plates."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from bathyx.core.geometry.shell import Array, Face, Shell, cross
from bathyx.core.inside.baffles import AXIS_INDEX, Baffle, Plate
from bathyx.core.inside.fittings import Fitting, seat
from bathyx.core.sheet.blank import Blank, Hole, Mark, settled
from bathyx.core.sheet.makeup import ENDS, BendRule, EdgeRole
from bathyx.core.sheet.unfold import FlatPiece, unfold


@lru_cache(maxsize=16)
def pieces_of(shell: Shell, roles: tuple[EdgeRole, ...], thickness_mm: float, rule: BendRule) -> tuple[FlatPiece, ...]:
    """The unfolded pieces, kept while the shell and its make-up stay the same."""
    return tuple(unfold(shell, roles, thickness_mm, rule))


def shell_blanks(
    shell: Shell,
    roles: tuple[EdgeRole, ...],
    thickness_mm: float,
    rule: BendRule,
    fittings: tuple[Fitting, ...],
    baffles: tuple[Baffle, ...],
    base: Shell,
) -> tuple[Blank, ...]:
    """Blanks of the panelled `shell` (which may have a face split for a seam); fittings are placed on the `base` shell."""
    found = []
    seated = [(fitting, spot) for fitting in fittings if (spot := seat(base, fitting)) is not None]
    for piece in pieces_of(shell, roles, thickness_mm, rule):
        holes, marks = [], []
        for face_id, lay in piece.lays.items():
            face = shell.by_id[face_id]
            for fitting, spot in seated:
                if fitting.face == face.parent and _on(face, spot):
                    holes.append(Hole(lay.point(spot), fitting.hole_mm, f"{fitting.title} {fitting.id}"))
            for number, baffle in enumerate(baffles, start=1):
                for start, end in _crossing(face, baffle):
                    marks.append(Mark(lay.point(start), lay.point(end), f"B{number}"))
            middle = lay.point(face.centroid)
            marks.append(Mark(middle, middle, face_id))
        found.append(
            settled(
                Blank(
                    _name(piece),
                    thickness_mm,
                    piece.outline,
                    tuple(holes),
                    piece.bends,
                    tuple(marks),
                    tuple(piece.lays),
                    "shell",
                )
            )
        )
    return tuple(found)


def baffle_blanks(plates: tuple[Plate, ...], thickness_mm: float) -> tuple[Blank, ...]:
    """One blank per plate."""
    return tuple(
        settled(
            Blank(
                f"baffle {plate.name}",
                thickness_mm,
                plate.outline,
                tuple(Hole(np.array([x, z]), d, "flow") for x, z, d in plate.holes),
                (),
                (),
                (),
                "baffle",
            )
        )
        for plate in plates
    )


def _name(piece: FlatPiece) -> str:
    faces = list(piece.lays)
    if len(faces) == 1:
        return faces[0]
    main = [f for f in ("bottom", "rear", "top", "front") if any(face.split(":")[0] == f for face in faces)]
    if len(main) == 4:
        return "perimeter" if any(":" in face for face in faces) else "wrap"
    return " + ".join(main or faces[:2])


def _on(face: Face, spot: Array) -> bool:
    """Whether a point of the parent face lies on this part of it (edges count on the low side)."""
    if face.id == face.parent:
        return True
    along = face.frame[1]
    reach = (face.loop - face.frame[0]) @ along
    return bool(reach.min() <= (spot - face.frame[0]) @ along < reach.max())


def _crossing(face: Face, baffle: Baffle) -> list[tuple[Array, Array]]:
    """Segments where a baffle's middle plane crosses a face."""
    i = AXIS_INDEX[baffle.axis]
    if (face.id in ENDS and baffle.axis == "y") or abs(face.normal[i]) > 1 - 1e-9:
        return []
    side = face.loop[:, i] - baffle.at_mm
    points = []
    for k in range(len(side)):
        j = (k + 1) % len(side)
        if side[k] * side[j] < 0:
            points.append(face.loop[k] + (face.loop[j] - face.loop[k]) * (side[k] / (side[k] - side[j])))
    if len(points) < 2:
        return []
    along = cross(face.normal, np.eye(3)[i])
    points.sort(key=lambda p: float(p @ along))
    return list(zip(points[0::2], points[1::2], strict=False))
