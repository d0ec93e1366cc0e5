"""Parts laid as the shapes they are, by `spyrrow`, a sheet at a time.

A strip is laid of a little more than a sheet: what of it lies on the sheet is kept, what hangs over goes on.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from bathyx.core.sheet.cutting.parts import CutPlan, Cutting, Part, Place, Used, laid_out

Size = tuple[float, float]
QUARTERS, HALVES = (0.0, 90.0, 180.0, 270.0), (0.0, 180.0)
OVERFULL, SLICE_S, SLACK_MM = 1.04, 3, 0.02


def shaped(
    parts: Sequence[Part],
    stock: Size,
    offcuts: Sequence[Size],
    how: Cutting,
    left_s: Callable[[], float],
    dice: np.random.Generator,
) -> CutPlan | None:
    """Sheet by sheet, off-cuts first; None where the time is over before all lie.

    Args:
        parts: to be cut.
        stock: (width, length) of the stock sheet.
        offcuts: (width, length) of what is on the rack.
        how: they are cut.
        left_s: seconds that are left to look.
        dice: which parts a sheet is begun with.
    """
    left = list(parts)
    sheets: list[Used] = []
    places: list[Place] = []
    rack = sorted(offcuts, key=lambda s: s[0] * s[1])
    while left:
        offcut = bool(rack)
        size = rack.pop(0) if offcut else stock
        can = [p for p in left if how.takes(size, p)]
        area = sum(p.area_mm2 for p in can)
        more = max(1.0, area / (0.8 * size[0] * size[1]))
        found = on_sheet(can, size, how, min(SLICE_S, left_s() / more), dice) if can and left_s() > 1 else []
        if found:
            places += [replace(p, sheet=len(sheets)) for p in found]
            sheets.append(Used(size, offcut))
            gone = {p.part for p in found}
            left = [p for p in left if p.name not in gone]
        elif not offcut:
            return None
    return laid_out(sheets, places, parts)


def reshaped(
    plan: CutPlan, parts: Sequence[Part], how: Cutting, seconds: float, dice: np.random.Generator
) -> CutPlan | None:
    """The plan with the parts of two of its sheets laid anew: one full, the rest on the emptiest; None where they do not go.

    Args:
        plan: to be bettered.
        parts: that it lays.
        how: they are cut.
        seconds: to look.
        dice: which sheets.
    """
    by_name = {part.name: part for part in parts}
    filled = [sum(by_name[p.part].area_mm2 for p in plan.on(n)) / s.area_mm2 for n, s in enumerate(plan.sheets)]
    new = [n for n, s in enumerate(plan.sheets) if not s.offcut]
    if not new:
        return None
    last = min(new, key=lambda n: filled[n])
    others = [n for n in range(len(plan.sheets)) if n != last]
    full = int(dice.choice(others)) if others and dice.random() < 0.85 else None
    mine = [by_name[p.part] for p in (*(plan.on(full) if full is not None else ()), *plan.on(last))]
    size = plan.sheets[last if full is None else full].size
    found = on_sheet([p for p in mine if how.takes(size, p)], size, how, seconds / 2, dice)
    gone = {p.part for p in found}
    rest = [p for p in mine if p.name not in gone]
    if not found or (rest and full is None):
        return None
    kept = [p for p in plan.places if p.sheet not in (last, full)]
    at = last if full is None else full
    kept += [replace(p, sheet=at) for p in found]
    if rest:
        here = strip(rest, how.room(plan.sheets[last].size), how, seconds / 2, dice)
        inside = [p for p in here if p is not None]
        if len(inside) < len(rest):
            return None
        kept += [_moved(p, last, how) for p in inside]
    return laid_out(plan.sheets, kept, parts)


def on_sheet(parts: Sequence[Part], size: Size, how: Cutting, seconds: float, dice: np.random.Generator) -> list[Place]:
    """As much of the parts as is found to go on one sheet: places on sheet 0.

    Args:
        parts: each of which goes on it alone.
        size: of the sheet.
        how: they are cut.
        seconds: to look.
        dice: which of the smaller ones go with the largest.
    """
    room = how.room(size)
    area = sum(p.area_mm2 for p in parts)
    most = OVERFULL * room[0] * room[1]
    order = sorted(parts, key=lambda p: -p.area_mm2)
    if area > most:  # the largest, and of the others as many as fill the sheet and a little more
        weight = {p.name: p.area_mm2 * float(dice.uniform(0.2, 1.0)) for p in parts}
        order.sort(key=lambda p: -weight[p.name])
    taken, sum_of = list[Part](), 0.0
    for part in order:
        if sum_of + part.area_mm2 <= most:
            taken.append(part)
            sum_of += part.area_mm2
    found = [p for p in strip(taken, room, how, seconds, dice) if p is not None]
    return [_moved(p, 0, how) for p in found]


def _moved(place: Place, sheet: int, how: Cutting) -> Place:
    return replace(place, sheet=sheet, x_mm=place.x_mm + how.margin_mm, y_mm=place.y_mm + how.margin_mm)


def strip(
    parts: Sequence[Part], room: Size, how: Cutting, seconds: float, dice: np.random.Generator
) -> list[Place | None]:
    """A place for each part in a strip as high as the room, by `spyrrow`; None for what hangs over the room's end.

    Args:
        parts: to be laid.
        room: (width, height) within the margins.
        how: they are cut.
        seconds: to look; the library counts whole ones.
        dice: its seed.
    """
    import spyrrow

    if not parts:
        return []
    turns = list(HALVES if how.grain else QUARTERS)
    items = [spyrrow.Item(str(k), [(float(x), float(y)) for x, y in p.outline], 1, turns) for k, p in enumerate(parts)]
    try:
        # The library keeps a kerf from the strip's border too, where the margin is already; what just fits, it refuses.
        instance = spyrrow.StripPackingInstance("sheet", room[1] + 2 * how.kerf_mm + SLACK_MM, items)
        config = spyrrow.StripPackingConfig(
            min_items_separation=how.kerf_mm or None,
            total_computation_time=max(1, int(seconds)),
            num_workers=1,
            seed=int(dice.integers(1, 2**31)),
        )
        found = instance.solve(config)
    except ValueError:
        return [None] * len(parts)
    except BaseException as error:  # the library's own panic, where it lays a part nowhere
        if type(error).__name__ != "PanicException":
            raise
        return [None] * len(parts)
    laid: list[Place | None] = [None] * len(parts)
    for one in found.placed_items:
        k = int(one.id)
        x, y = (float(v) - how.kerf_mm for v in one.translation)
        place = Place(parts[k].name, 0, x, y, float(one.rotation))
        if float(place.laid(parts[k].outline)[:, 0].max()) <= room[0] + 1e-6:
            laid[k] = place
    return laid
