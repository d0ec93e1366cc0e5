"""The figures of a job as plain JSON data, for scripts and for checking."""

from __future__ import annotations

from typing import Any

import numpy as np

from bathyx.core.capacity.capacity import drained_at, tilted_curve
from bathyx.core.capacity.leaning import Stance, leaning
from bathyx.core.evaluate import Evaluation, inside_of
from bathyx.core.geometry.dip import DipCurve
from bathyx.core.geometry.shell import Array, Shell
from bathyx.core.making import making_of
from bathyx.core.tank.attitude import attitude

# Counted up where a field is taken away or changes its kind; a field more is no new version.
FIGURES_VERSION = 1


def figures(e: Evaluation, dip_levels: int = 101, tilt_deg: tuple[float, float] | None = None) -> dict[str, Any]:
    """Capacities, masses, seams, blanks, dip table and findings. Lengths mm, volumes L, masses kg, pressures kPa.

    `tilt_deg`: (pitch, roll), front and right end up; adds `dip_at`, the table at that attitude, and `at_attitude`:
    what is usable there, and at which volume each pickup uncovers and each vent goes under.
    """
    found = _figures(e, dip_levels)
    if tilt_deg is not None:
        found["dip_at"] = _tilted(e, dip_levels, *tilt_deg)
        found["at_attitude"] = _leaning(e, *tilt_deg)
    return found


def _tilted(e: Evaluation, dip_levels: int, pitch: float, roll: float) -> dict[str, Any]:
    r, job = e.results, e.job
    curve = tilted_curve(r.shell, inside_of(job, r), attitude(pitch, roll))
    return {"pitch_deg": pitch, "roll_deg": roll, **_dip(r.shell, curve, attitude(pitch, roll), dip_levels)}


def _leaning(e: Evaluation, pitch: float, roll: float) -> dict[str, Any]:
    r, fittings = e.results, e.job.inside.fittings
    now = leaning(r.shell, inside_of(e.job, r), fittings, r.capacity, Stance(trim_deg=pitch, heel_deg=roll))
    return {"usable_l": now.usable_l, "pickups_dry_at_l": dict(now.pickups), "vents_under_at_l": dict(now.vents)}


def _second(e: Evaluation) -> dict[str, Any] | None:
    both = e.results.pair
    if both is None:
        return None
    return {
        "full_l": list(both.full),
        "left_l": list(both.left),
        "usable_of_both_l": both.usable.value,
        "moved_s": both.moved.value,
        "runs_h": both.hours.value if both.hours is not None else None,
    }


def _dip(shell: Shell, curve: DipCurve, rotation: Array, dip_levels: int) -> dict[str, Any]:
    """Levels over the lowest point and litres; `pools_l` the litres of each pool of the bare shell, where it falls apart."""
    levels = np.linspace(0.0, curve.high_mm - curve.low_mm, dip_levels)
    found: dict[str, Any] = {
        "level_mm": [float(z) for z in levels],
        "volume_l": [float(v) / 1e6 for v in curve.at(levels + curve.low_mm)],
    }
    if not shell.convex:
        drained = drained_at(shell, rotation)
        if not drained.single:
            pools = [[v / 1e6 for v, _ in drained.pools(float(z))] for z in levels + curve.low_mm]
            found |= {"pools_l": pools} if max(map(len, pools)) > 1 else {}
    return found


def _figures(e: Evaluation, dip_levels: int) -> dict[str, Any]:
    r = e.results
    curve = r.capacity.curve
    return {
        "figures_version": FIGURES_VERSION,
        "name": e.job.brief.name,
        "capacity_l": {
            "gross": r.capacity.gross.value,
            "net": r.capacity.net.value,
            "usable": r.capacity.usable.value,
            "usable_on_slope": r.capacity.usable_tilted.value,
            "wanted": r.wanted.value,
        },
        "second": _second(e),
        "litres_per_mm": r.litres_per_mm,
        "nearest": [
            {"what": a.what, "air_mm": a.mm, "wants_mm": a.wants_mm, "spare_mm": a.spare_mm, "at_mm": _point(a.at)}
            for a in r.approaches
        ],
        "spare_mm": None if e.job.space.free else r.spare.value,
        "sure_spare_mm": r.sure_spare_mm,
        "outside_mm": {"length": r.outside.length_mm, "width": r.outside.width_mm, "height": r.outside.height_mm},
        "mass_kg": {"dry": r.weight.dry.value, "full": r.weight.full.value},
        "centre_of_gravity_mm": _point(r.weight.centre),
        "centre_of_gravity_dry_mm": _point(r.weight.centre_dry),
        "centre_of_gravity_contents_mm": _point(r.weight.centre_contents),
        "weld_length_mm": r.weld_length_mm,
        "making": making_of(r.sheet).key,
        "made": making_of(r.sheet).added(e.job, r),
        "seams": [{"id": s.id, "title": s.title, "length_mm": s.length_mm, "joint": s.joint} for s in r.seams],
        "rings": [{"id": s.id, "title": s.title, "length_mm": s.length_mm} for s in r.rings],
        "blanks": [
            {
                "name": b.name,
                "thickness_mm": b.thickness_mm,
                "bought": b.stock or None,
                "flat_width_mm": b.size_mm[0],
                "flat_height_mm": b.size_mm[1],
                "area_mm2": b.area_mm2,
                "bends": [
                    {
                        "angle_deg": x.turn_deg,
                        "direction": "up" if x.up else "down",
                        "radius_mm": x.radius_mm,
                        "allowance_mm": x.allowance_mm,
                        "edge": x.edge,
                        "start_mm": _point(x.start),
                        "end_mm": _point(x.end),
                    }
                    for x in b.bends
                ],
                "holes": [
                    {"diameter_mm": h.diameter_mm, "centre_mm": _point(h.centre), "label": h.label} for h in b.holes
                ],
            }
            for b in r.blanks
        ],
        "baffles": [{"name": p.name, "axis": p.axis, "at_mm": p.at_mm, "open_share": p.open_share} for p in r.plates],
        "panels_bear_kpa": r.strength.bears.value,
        "panels": [
            {
                "face": p.face,
                "short_mm": p.short_mm,
                "long_mm": p.long_mm,
                "bears_kpa": p.bears_kpa,
                "at_least": p.at_least,
                "weakest": p.link,
                "bulge_mm": list(p.bulge_mm) if p.in_range else None,
                "service_kpa": p.service_kpa,
                "service_bears_kpa": p.service_bears_kpa,
            }
            for p in r.strength.panels
        ],
        "tests": [
            {"method": t.method, "what": t.what, "test_kpa": t.test_kpa if t.pressed else None, "hold_min": t.hold_min}
            for t in e.job.proving.tests
        ],
        "dip": _dip(r.shell, curve, np.eye(3), dip_levels),
        "findings": [
            {
                "code": f.code,
                "severity": f.severity,
                "message": f.message,
                "figure": f.figure,
                "limit": f.limit,
                "rule": f.rule,
                "source": f.source,
                "where": f.where,
                "remedy": f.remedy.label if f.remedy else None,
            }
            for f in e.advice
        ],
    }


def _point(p: Array) -> list[float]:
    return [float(x) for x in p]
