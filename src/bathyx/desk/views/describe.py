"""What the pointer is on: a wall, a seam, a baffle, a fitting, a blank, or a dimension and what it is worth."""

from __future__ import annotations

from bathyx.core.evaluate import Evaluation
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.strength.panels import PanelLoad
from bathyx.core.units import Family, show
from bathyx.register import JobRecord


def describe(e: Evaluation, record: JobRecord, units: Family, tag: str) -> str:
    """A line or two on what `tag` names; empty when there is nothing to say.

    Args:
        e: the evaluated job.
        record: what is on record of it.
        units: metric or US.
        tag: of a thing in a drawing, as in `face:top`.
    """
    kind, _, name = tag.partition(":")
    if kind == "gravity":
        return f"Centre of gravity {e.results.weight.height.working}"
    if kind == "edit":
        worth = e.results.litres_per_mm.get(name.removeprefix("tank."))
        return f"Click and type. Worth {show(worth, 'litres_per_mm', units)}" if worth is not None else "Click and type"
    say = _SAY.get(kind)
    return say(e, record, units, name) if say is not None else ""


def _seam(e: Evaluation, record: JobRecord, units: Family, name: str) -> str:
    seam = next((s for s in (*e.results.seams, *e.results.rings) if s.id == name), None)
    if seam is None:
        return ""
    length = show(seam.length_mm, "length", units)
    return f"{seam.id}: {seam.title}, {seam.joint}, {length}, {record.seam_state(seam.edge)}"


def _face(e: Evaluation, _record: JobRecord, units: Family, name: str) -> str:
    load = next((p for p in e.results.strength.panels if p.face.split(":")[0] == name), None)
    if load is None:
        return ""
    return f"{name}: {_size(load, units)}, bears {show(load.bears_kpa, 'pressure', units)}, weakest is {load.link}"


def _baffle(e: Evaluation, _record: JobRecord, units: Family, name: str) -> str:
    plate = next((p for p in e.results.plates if p.name == name), None)
    if plate is None:
        return ""
    return f"Baffle {name} at {show(plate.at_mm, 'length', units)}: {plate.open_share:.0%} open. Drag it, or type a bay"


def _fitting(e: Evaluation, _record: JobRecord, units: Family, name: str) -> str:
    fitting = next((f for f in e.job.inside.fittings if f.id == name), None)
    if fitting is None:
        return ""
    ring = next((f", weld {s.id}" for s in e.results.rings if s.edge == f"fitting:{name}"), "")
    thread = f" {fitting.thread}" if fitting.thread else ""
    hole = f"ø{show(fitting.hole_mm, 'length', units)} " if fitting.hole_mm else ""
    return f"{fitting.said}{thread}: {hole}on {fitting.face}{ring}"


def _blank(e: Evaluation, _record: JobRecord, units: Family, name: str) -> str:
    blank = next((b for b in e.results.blanks if b.name == name), None)
    if blank is None:
        return ""
    w, h = blank.size_mm
    return (
        f"{name}: {show(w, 'length', units)} × {show(h, 'length', units)}, {len(blank.bends)} bends, "
        f"{show(_mass(e, blank), 'mass', units)}"
    )


def _edge(e: Evaluation, _record: JobRecord, units: Family, name: str) -> str:
    role = next((x for x in e.results.roles if x.edge.id == name), None)
    if role is None:
        return ""
    length = show(role.edge.length_mm, "length", units)
    what = f"bent by {role.edge.turn_deg:.0f}°" if role.kind == "bend" else f"welded, {role.joint}"
    return f"{role.edge.a} to {role.edge.b}: {what}, {length}. Click to choose what becomes of it"


_SAY = {"edge": _edge, "seam": _seam, "face": _face, "baffle": _baffle, "fitting": _fitting, "blank": _blank}


def _size(load: PanelLoad, units: Family) -> str:
    if load.curved:
        return load.curved
    return f"largest panel {show(load.short_mm, 'length', units)} × {show(load.long_mm, 'length', units)}"


def _mass(e: Evaluation, blank: Blank) -> float:
    """Of a blank, kg."""
    stuff = e.results.skins.piece(e.results.sheet, blank.role, blank.faces, blank.thickness_mm)
    return stuff.mass_kg(blank.area_mm2)
