"""Where the words of a blank's marks stand on it, in mm, so that none stands on another."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from bathyx.core.geometry.shell import Array
from bathyx.core.sheet.flat.blank import LEAST_LINE_MM, Mark

LETTER = 0.62  # width of a letter as a share of its height, with its gap
ALONG, BESIDE = (0.5, 0.25, 0.75, 0.12, 0.88), (0.0, 1.4, -1.4, 2.8, -2.8)


def words_on(marks: Sequence[Mark], tall: float) -> list[tuple[Mark, Array]]:
    """Each mark that has words, with the middle (2,) of a free place for them; the middle of its own where there is none.

    Args:
        marks: of a blank; what is only words goes first, for a line has more places.
        tall: height of a letter, mm.
    """
    found: list[tuple[Mark, Array]] = []
    taken: list[tuple[Array, float]] = []
    spoken = [mark for mark in marks if mark.text]
    for mark in sorted(spoken, key=lambda m: float(np.linalg.norm(m.end - m.start)) > LEAST_LINE_MM):
        half = LETTER * tall * len(mark.text) / 2
        shares = ALONG if np.linalg.norm(mark.end - mark.start) > LEAST_LINE_MM else (0.5,)
        places = [mark.start + k * (mark.end - mark.start) + (0.0, d * tall) for d in BESIDE for k in shares]
        at = next(
            (
                p
                for p in places
                if all(abs(p[0] - q[0]) > half + other or abs(p[1] - q[1]) > 1.2 * tall for q, other in taken)
            ),
            places[0],
        )
        taken.append((at, half))
        found.append((mark, at))
    return found
