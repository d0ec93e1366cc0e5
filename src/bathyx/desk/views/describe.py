"""What the pointer is on: a wall, a seam, a baffle, a fitting, a blank, or a dimension and what it is worth."""

from __future__ import annotations

from bathyx.core.evaluate import Evaluation
from bathyx.core.strength.panels import PanelLoad
from bathyx.core.units import Family, show
from bathyx.register import JobRecord


def describe(e: Evaluation, record: JobRecord, units: Family, tag: str) -> str:
    """A line or two on what `tag` names; empty when there is nothing to say."""
    kind, _, name = tag.partition(":")
    r = e.results
    if kind == "gravity":
        return f"Centre of gravity {r.weight.height.working}"
    if kind == "edit":
        worth = r.litres_per_mm.get(name.removeprefix("tank."))
        return f"Click and type. Worth {show(worth, 'litres_per_mm', units)}" if worth is not None else "Click and type"
    if kind == "seam":
        seam = next((s for s in r.seams if s.id == name), None)
        if seam is not None:
            return f"{seam.id}: {seam.title}, {seam.joint}, {show(seam.length_mm, 'length', units)}, {record.seam_state(seam.edge)}"
    if kind == "face":
        load = next((p for p in r.strength.panels if p.face.split(":")[0] == name), None)
        if load is not None:
            return (
                f"{name}: {_size(load, units)}, bears {show(load.bears_kpa, 'pressure', units)}, weakest is {load.link}"
            )
    if kind == "baffle":
        plate = next((p for p in r.plates if p.name == name), None)
        if plate is not None:
            return f"Baffle {name} at {show(plate.at_mm, 'length', units)}: {plate.open_share:.0%} open. Drag it, or type a bay"
    if kind == "fitting":
        fitting = next((f for f in e.job.inside.fittings if f.id == name), None)
        if fitting is not None:
            return f"{fitting.title} {name}: ø{fitting.hole_mm:g} on {fitting.face}, ring {fitting.ring_mm:g} mm"
    if kind == "blank":
        blank = next((b for b in r.blanks if b.name == name), None)
        if blank is not None:
            w, h = blank.size_mm
            return (
                f"{name}: {show(w, 'length', units)} × {show(h, 'length', units)}, {len(blank.bends)} bends, "
                f"{show(r.sheet.mass_kg(blank.area_mm2), 'mass', units)}"
            )
    return ""


def _size(load: PanelLoad, units: Family) -> str:
    if load.curved:
        return load.curved
    return f"largest panel {show(load.short_mm, 'length', units)} × {show(load.long_mm, 'length', units)}"
