"""The welds of rings, bosses and mounts: each a seam with a name of its own, in the order the fittings stand in."""

from __future__ import annotations

import numpy as np

from bathyx.core.geometry.shell import Shell
from bathyx.core.inside.fittings import Fitting, seat
from bathyx.core.sheet.makeup.seams import Seam

STEPS = 24


def ring_seams(shell: Shell, fittings: tuple[Fitting, ...]) -> tuple[Seam, ...]:
    """R1.. round each ring, boss or mount that is welded on; its name in records is `fitting:` and the fitting's own.

    Args:
        shell: the inside, whose faces the fittings stand on.
        fittings: those of the tank; what is only a hole, or is off its face, has no weld.
    """
    found: list[Seam] = []
    for fitting in fittings:
        spot = seat(shell, fitting)
        if spot is None or not fitting.weld_mm:
            continue
        u, v = shell.by_id[fitting.face].tangents(spot)
        turn = np.linspace(0, 2 * np.pi, STEPS + 1)
        line = spot + fitting.rim_mm * (np.outer(np.cos(turn), u) + np.outer(np.sin(turn), v))
        name, edge = f"R{len(found) + 1}", f"fitting:{fitting.id}"
        title = f"round {fitting.id}" if fitting.opens else f"{fitting.id}, welded on"
        found.append(Seam(name, title, "ring", fitting.weld_mm, line[0], line[-1], edge, line))
    return tuple(found)
