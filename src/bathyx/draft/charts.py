"""Charts that are drawn, not only plotted: the dip chart and a pressure trace, in millimetres of paper."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from bathyx.core.capacity.attitude_map import AttitudeMap
from bathyx.core.capacity.filling import Filling
from bathyx.core.capacity.poured import Held
from bathyx.core.evaluate import Evaluation
from bathyx.core.proving.decay import Sample, steady_gauge_kpa
from bathyx.core.proving.designer import Design
from bathyx.core.proving.questions import Step, expected
from bathyx.core.units import Family, show, unit_of
from bathyx.draft.picture import Circle, Item, Label, Picture, Poly, box, line


def nice_steps(span: float, most: int = 10) -> float:
    """A step of 1, 2 or 5 times a power of ten that divides `span` into at most `most` parts."""
    raw = max(span, 1e-9) / most
    power = 10.0 ** np.floor(np.log10(raw))
    return float(next(f * power for f in (1, 2, 5, 10) if f * power >= raw * (1 - 1e-9)))


def dip_chart(
    e: Evaluation, units: Family, width: float = 120.0, height: float = 150.0, filled: Held | None = None
) -> Picture:
    """Volume across, level up, with fill and dead levels: what a dipstick is marked from.

    Args:
        e: the evaluated job.
        units: metric or US, for every figure shown.
        width: of the picture, points.
        height: of the picture, points.
        filled: by a measured filling, which the curve follows and whose rows are marked.
    """
    cap = e.results.capacity
    curve = cap.curve if filled is None else filled.curve
    low, high = curve.low_mm, curve.high_mm
    unit = unit_of("volume", units)
    levels = np.linspace(low, high, 160)
    volumes = curve.at(levels) / 1e6 / unit.size
    full = float(volumes[-1])

    def spot(volume: float, level: float) -> list[float]:
        return [volume / full * width, (level - low) / (high - low) * height]

    items: list[Item] = [box(0, 0, width, height, "ink", "paper", 1.2)]
    step = nice_steps(full)
    for v in np.arange(step, full, step):
        items += [
            line(spot(v, low), spot(v, high), "grid", 0.6),
            Label(np.array(spot(v, low)), f"{v:g}", 9, "ink", shift=(0, -9)),
        ]
    tall = nice_steps((high - low) / (25.4 if units.us else 1.0)) * (25.4 if units.us else 1.0)
    for z in np.arange(low + tall, high, tall):
        items += [
            line(spot(0, z), spot(full, z), "grid", 0.6),
            Label(
                np.array(spot(0, z)),
                show(z - low, "length", units, places=0 if not units.us else None),
                9,
                "ink",
                "r",
                shift=(-5, 0),
            ),
        ]
    area = [spot(0, low), *(spot(v, z) for v, z in zip(volumes, levels, strict=True)), spot(0, high)]
    items.append(Poly(np.array(area), None, "fluid", 0))
    items.append(
        Poly(np.array([spot(v, z) for v, z in zip(volumes, levels, strict=True)]), "fluid line", None, 2.4, False)
    )
    for level, poured in filled.pouring.rows if filled is not None else ():
        items.append(Circle(np.array(spot(poured / unit.size, low + level)), 2.2, "accent", "paper", 1.2))
    marks = ((cap.fill_level_mm, "full", "fluid line"), (cap.dead_level_mm, "pickup", "stop"))
    for level, word, ink in marks:  # its word on the side where the curve is not
        if level > low + 0.5:
            left = level > (low + high) / 2
            volume = float(curve.at(level)) / 1e6
            items += [
                line(spot(0, level), spot(full, level), ink, 1.2, dashed=True),
                Label(
                    np.array(spot(0 if left else full, level)),
                    f"{word} {show(volume, 'volume', units)}",
                    9,
                    ink,
                    "l" if left else "r",
                    bold=True,
                    shift=(4 if left else -4, 8 if level < high - 0.12 * (high - low) else -10),
                ),
            ]
    items += [
        Label(np.array([width / 2, 0]), f"{unit.sign} in the tank", 9, "quiet", shift=(0, -24)),
        Label(np.array([0, height]), "level above the lowest point", 9, "quiet", "l", shift=(0, 10)),
    ]
    return Picture(tuple(items))


def design_chart(found: Design, units: Family, width: float = 160.0, height: float = 100.0) -> Picture:
    """Half-width of the leak's interval against minutes of hold, both in powers of ten, with limit and the hold that decides.

    Args:
        found: the designed test.
        units: metric or US, for every figure shown.
        width: of the picture, points.
        height: of the picture, points.
    """
    unit = unit_of("leak", units)
    x = np.log10([p.hold_min for p in found.points])
    y = np.log10([max(p.half_width, 1e-4) / unit.size for p in found.points])
    limit = np.log10(found.limit_ml_min / unit.size)
    low_x, high_x = float(np.floor(x.min() * 2) / 2), float(np.ceil(x.max() * 2) / 2)
    low_y, high_y = float(np.floor(min(y.min(), limit))), float(np.ceil(max(y.max(), limit)))

    def spot(a: float, b: float) -> list[float]:
        return [(a - low_x) / (high_x - low_x) * width, (b - low_y) / (high_y - low_y) * height]

    items: list[Item] = [box(0, 0, width, height, "ink", "paper", 1.2)]
    for minutes in (5, 10, 20, 30, 60, 120, 240, 480, 1440):
        a = float(np.log10(minutes))
        if low_x <= a <= high_x:
            items += [line(spot(a, low_y), spot(a, high_y), "grid", 0.5)]
            word = f"{minutes} min" if minutes < 60 else f"{minutes // 60} h"
            items.append(Label(np.array(spot(a, low_y)), word, 9, "ink", shift=(0, -9)))
    for power in range(int(low_y), int(high_y) + 1):
        items += [
            line(spot(low_x, power), spot(high_x, power), "grid", 0.5),
            Label(np.array(spot(low_x, power)), f"{10.0**power:g}", 9, "ink", "r", shift=(-5, 0)),
        ]
    items.append(line(spot(low_x, limit), spot(high_x, limit), "stop", 1.6, dashed=True))
    items.append(
        Label(
            np.array(spot(low_x, limit)),
            f"limit {show(found.limit_ml_min, 'leak', units)}",
            10,
            "stop",
            "l",
            bold=True,
            shift=(6, 9),
        )
    )
    items.append(Poly(np.array([spot(a, b) for a, b in zip(x, y, strict=True)]), "fluid line", None, 2.6, False))
    if found.hold_min is not None:
        a = float(np.log10(found.hold_min))
        items.append(line(spot(a, low_y), spot(a, high_y), "go", 2.0))
        items.append(
            Label(np.array(spot(a, high_y)), f"decides in {found.hold_min:.0f} min", 11, "go", bold=True, shift=(0, 10))
        )
    items += [
        Label(np.array([0, height]), f"± {unit.sign}", 9, "quiet", "l", shift=(0, 10)),
        Label(np.array([width / 2, 0]), "hold", 9, "quiet", shift=(0, -24)),
    ]
    return Picture(tuple(items))


WILL_BE_SEEN = "what will be seen: tight, and with a leak at the limit (dashed)"


def protocol_chart(
    steps: Sequence[Step], volume_l: float, test_kpa: float, limit_ml_min: float, units: Family, width: float = 160.0
) -> Picture:
    """What the gauge will show while the tank is asked: without a leak, and with one at the limit (dashed); questions in words.

    Args:
        steps: the questions.
        volume_l: gas volume.
        test_kpa: it begins at.
        limit_ml_min: leak that still counts as tight.
        units: metric or US.
        width: of the picture, points.
    """
    height = 62.0
    t, tight = expected(steps, volume_l, test_kpa, 0.0)
    _, leaking = expected(steps, volume_l, test_kpa, limit_ml_min)
    vent = next(step.from_s for step in steps if step.what == "vent")
    seen = t < vent
    low, high = float(leaking[seen].min()), float(tight.max())
    pad = 0.12 * (high - low)
    low, high = low - pad, high + pad
    long = float(t[-1])

    def spots(values: np.ndarray) -> np.ndarray:
        return np.column_stack([t[seen] / long * width, (values[seen] - low) / (high - low) * height])

    items: list[Item] = [box(0, 0, width, height, "ink", "paper", 1.0)]
    step_kpa = nice_steps(high - low, 4)
    for p in np.arange(np.ceil(low / step_kpa) * step_kpa, high, step_kpa):
        y = (p - low) / (high - low) * height
        items += [
            line([0, y], [width, y], "grid", 0.5),
            Label(np.array([0.0, y]), show(p, "pressure", units), 8, "ink", "r", shift=(-4, 0)),
        ]
    for m in np.arange(0, long / 60 + 1e-9, nice_steps(long / 60, 6)):
        items.append(Label(np.array([m * 60 / long * width, 0.0]), f"{m:g}", 8, "ink", shift=(0, -8)))
    items += [
        Poly(spots(leaking), "stop", None, 1.2, False, dashed=True),
        Poly(spots(tight), "fluid line", None, 1.8, False),
        Label(np.array([width, 0.0]), "min", 8, "quiet", "r", shift=(14, -8)),
        Label(np.array([0.0, height]), WILL_BE_SEEN, 9, "quiet", "l", shift=(0, 9)),
    ]
    for k, words, up in ((0, "volume", 6), (2, "known leak", 6), (4, "volume", 16), (7, "rest at 0", 6)):
        x = steps[k].from_s / long * width
        items += [
            line([x, 0], [x, height], "quiet", 0.7, dashed=True),
            Label(np.array([x, 0.0]), words, 8, "ink", "l", shift=(3, up)),
        ]
    return Picture(tuple(items))


def trace_chart(samples: Sequence[Sample], units: Family, width: float = 160.0, height: float = 55.0) -> Picture:
    """Gauge pressure as read (thin) and brought to the first temperature (thick), against minutes.

    Args:
        samples: readings in order of time.
        units: metric or US, for every figure shown.
        width: of the picture, points.
        height: of the picture, points.
    """
    t = np.array([s.t_s for s in samples]) / 60
    raw = np.array([s.gauge_kpa for s in samples])
    steady = steady_gauge_kpa(samples)
    low, high = float(min(raw.min(), steady.min())), float(max(raw.max(), steady.max()))
    pad = max(0.08 * (high - low), 0.02)
    low, high = low - pad, high + pad
    items: list[Item] = [box(0, 0, width, height, "ink", "paper", 1.0)]
    long = max(float(t[-1]), 1e-6)

    def spots(values: np.ndarray) -> np.ndarray:
        return np.column_stack([t / long * width, (values - low) / (high - low) * height])

    step = nice_steps(high - low, 5)
    for p in np.arange(np.ceil(low / step) * step, high, step):
        y = (p - low) / (high - low) * height
        items += [
            line([0, y], [width, y], "grid", 0.5),
            Label(np.array([0.0, y]), show(p, "pressure", units), 8, "ink", "r", shift=(-4, 0)),
        ]
    for m in np.arange(0, long + 1e-9, nice_steps(long, 8)):
        items.append(Label(np.array([m / long * width, 0.0]), f"{m:g}", 8, "ink", shift=(0, -8)))
    items += [
        Poly(spots(raw), "quiet", None, 0.8, False),
        Poly(spots(steady), "fluid line", None, 1.8, False),
        Label(np.array([width, 0.0]), "min", 8, "quiet", "r", shift=(14, -8)),
    ]
    return Picture(tuple(items))


def attitude_chart(found: AttitudeMap, working: tuple[float, float], units: Family, cell: float = 15.0) -> Picture:
    """Usable capacity over pitch (up) and roll (across), a cell an attitude; the brief's own attitudes are ringed.

    Args:
        found: the map.
        working: (pitch, roll) degrees of the brief, either way.
        units: metric or US.
        cell: width of a cell, points.
    """
    unit = unit_of("volume", units)
    items: list[Item] = []
    best = max(max(row) for row in found.usable)
    step = found.pitch_deg[1] - found.pitch_deg[0]
    high = cell * 0.8

    def place(pitch: float, roll: float) -> tuple[float, float]:
        return (roll - found.roll_deg[0]) / step * cell, (pitch - found.pitch_deg[0]) / step * high

    for pitch, row, floods in zip(found.pitch_deg, found.usable, found.vents_flood, strict=True):
        for roll, litres, flood in zip(found.roll_deg, row, floods, strict=True):
            x, y = place(pitch, roll)
            share = litres / best if best > 0 else 0.0
            fill = "fluid" if share > 0.95 else "fluid glass" if share > 0.85 else "lit" if share > 0.7 else "stop fill"
            items.append(box(x, y, cell, high, "grid", fill, 0.6))
            wet = flood is not None and flood < found.fill_l - 0.05
            text = f"{litres / unit.size:.0f}" if best / unit.size >= 20 else f"{litres / unit.size:.1f}"
            items.append(Label(np.array([x + cell / 2, y + high * 0.5]), text, 9, "ink", bold=share > 0.95))
            if wet:
                items.append(Label(np.array([x + cell - 1.0, y + high - 1.5]), "v", 7, "stop", "r"))
    right, top = len(found.roll_deg) * cell, len(found.pitch_deg) * high
    for roll in found.roll_deg:
        items.append(
            Label(
                np.array([place(0, roll)[0] + cell / 2, 0.0]),
                f"{roll:+.0f}°" if roll else "0",
                8,
                "quiet",
                shift=(0, -8),
            )
        )
    for pitch in found.pitch_deg:
        items.append(
            Label(
                np.array([0.0, place(pitch, 0)[1] + high / 2]),
                f"{pitch:+.0f}°" if pitch else "0",
                8,
                "quiet",
                "r",
                shift=(-4, 0),
            )
        )
    most = found.pitch_deg[-1]
    for pitch in {working[0], -working[0]}:
        for roll in {working[1], -working[1]}:
            x, y = place(min(max(pitch, -most), most), min(max(roll, -most), most))
            items.append(Circle(np.array([x + cell / 2, y + high / 2]), 0.42 * high, "accent", None, 1.8))
    items += [
        Label(np.array([right / 2, 0.0]), "right end up", 9, "ink", shift=(0, -24)),
        Label(np.array([0.0, top]), "front up", 9, "ink", "r", shift=(-4, 8)),
        Label(
            np.array([right / 2, top]), f"Usable, {unit.sign}; rings: where the brief works", 9, "ink", shift=(0, 24)
        ),
        Label(np.array([right / 2, top]), "v: a vent goes under when filled", 9, "quiet", shift=(0, 10)),
    ]
    return Picture(tuple(items))


def filling_chart(
    found: Filling, most_kg: float | None, units: Family, width: float = 150.0, tall: float = 70.0
) -> Picture:
    """Weight, and the height of the centre of gravity under it, against litres; the volume above which it is too heavy is barred.

    Args:
        found: the tank as it fills.
        most_kg: what it may weigh.
        units: metric or US.
        width: of the picture, points.
        tall: of each of the two charts, points.
    """
    litres, fill = found.litres / unit_of("volume", units).size, float(found.litres[-1])
    heights = found.centre[:, 2]
    charts = (
        ("Weight", found.mass_kg, "mass", tall * 1.4, "fluid line"),
        ("Centre of gravity, up from the floor", heights, "length", 0.0, "accent"),
    )
    items: list[Item] = []
    for words, values, kind, base, ink in charts:
        unit = unit_of(kind, units)
        shown = values / unit.size
        top = max(float(shown.max()), (most_kg or 0.0) / unit.size if kind == "mass" else 0.0) * 1.2
        items.append(box(0, base, width, tall, "ink", "paper", 1.2))
        if found.limit_l is not None:
            x = found.limit_l / fill * width
            items.append(box(x, base, width - x, tall, None, "stop fill", 0))
        step = nice_steps(top, 5)
        for value in np.arange(step, top, step):
            y = base + value / top * tall
            items.append(line([0, y], [width, y], "grid", 0.6))
            items.append(Label(np.array([0.0, y]), f"{value:g} {unit.sign}", 9, "ink", "r", shift=(-5, 0)))
        if kind == "mass" and most_kg is not None:
            y = base + most_kg / unit.size / top * tall
            items.append(line([0, y], [width, y], "stop", 1.4, dashed=True))
            items.append(
                Label(
                    np.array([0.0, y]),
                    f"at most {show(most_kg, 'mass', units)}",
                    9,
                    "stop",
                    "l",
                    bold=True,
                    shift=(4, 8),
                )
            )
        curve = np.column_stack([litres / litres[-1] * width, base + shown / top * tall])
        items.append(Poly(curve, ink, None, 2.4, False))
        items.append(Label(np.array([0.0, base + tall]), words, 10, "ink", "l", bold=True, shift=(0, 12)))
        for k in (0, -1):
            said = show(float(values[k]), kind, units)
            items.append(
                Label(
                    curve[k],
                    said,
                    11,
                    ink,
                    "l" if k == 0 else "r",
                    bold=True,
                    shift=(6, 10) if k == 0 else (-6, -16),
                    badge="paper",
                )
            )
    for v in np.arange(nice_steps(float(litres[-1]), 8), float(litres[-1]), nice_steps(float(litres[-1]), 8)):
        items.append(Label(np.array([v / litres[-1] * width, 0.0]), f"{v:g}", 9, "ink", shift=(0, -9)))
    items.append(
        Label(np.array([width / 2, 0.0]), f"{unit_of('volume', units).sign} in it", 9, "quiet", shift=(0, -24))
    )
    if found.limit_l is not None:
        x = found.limit_l / fill * width
        high = tall * 2.4
        items.append(line([x, 0], [x, high], "stop", 1.8))
        items.append(
            Label(
                np.array([x, high]),
                f"do not fill above {show(found.limit_l, 'volume', units)}",
                12,
                "stop",
                bold=True,
                shift=(0, 26),
            )
        )
    return Picture(tuple(items))
