"""What was asked against what the tank holds: upright tubes to one scale, gross to usable, with the line of the brief."""

from __future__ import annotations

import numpy as np

from bathyx.core.evaluate import Evaluation
from bathyx.core.units import Family, show
from bathyx.draft.picture import Item, Label, Picture, box, line


def brief_view(e: Evaluation, units: Family) -> Picture:
    """Five tubes, 100 mm high for the largest, and the brief's line across them."""
    cap, wanted = e.results.capacity, e.results.wanted.value
    rows = [
        ("gross", cap.gross.value),
        ("net", cap.net.value),
        ("filled", cap.fill_l),
        ("usable", cap.usable.value),
        ("on slope", cap.usable_tilted.value),
    ]
    top = max(wanted, cap.gross.value) * 1.04
    items: list[Item] = []
    width, gap = 19.0, 8.0
    for k, (word, litres) in enumerate(rows):
        x = k * (width + gap)
        enough = litres >= wanted * 0.995
        items += [
            box(x, 0, width, 100, "thin", "paper", 1.0),
            box(
                x, 0, width, litres / top * 100, "fluid line" if enough else "warn", "fluid" if enough else "dead", 1.2
            ),
            Label(np.array([x + width / 2, 0.0]), show(litres, "volume", units), 11, "ink", bold=True, shift=(0, 18)),
            Label(np.array([x + width / 2, 0.0]), word, 10, "quiet", shift=(0, -13)),
        ]
    y = wanted / top * 100
    end = len(rows) * (width + gap) - gap
    items += [
        line([-6, y], [end + 6, y], "select", 2.0, dashed=True),
        Label(
            np.array([end + 6, y]),
            f"asked {show(wanted, 'volume', units)}",
            11,
            "select",
            "r",
            bold=True,
            shift=(0, 12),
            badge="paper",
        ),
    ]
    return Picture(tuple(items))
