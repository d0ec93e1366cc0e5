"""Bathyx as a library: a tank from its sizes, its figures, blanks, checks, papers, a hold judged, a way in.

What stands here stays within a version: names, parameters, units and what comes back. Lengths mm, volumes L, masses kg,
pressures kPa, angles degrees, but where a name says otherwise. All else of `bathyx` is free to change. Every refusal is a
`Refusal` that says what is wrong and what would be right.

>>> from bathyx import api
>>> job = api.tank("profile", {"length_mm": 600, "width_mm": 400, "height_mm": 300}, sheet="5083/3", fluid="diesel")
>>> found = api.work_out(job)
>>> round(api.capacity_l(found)["gross"], 6)
72.0
>>> [blank.name for blank in api.blanks(found)][:3]
['bottom', 'top', 'left end']
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bathyx.core.evaluate import Evaluation, cuttable, evaluate
from bathyx.core.findings.finding import Finding
from bathyx.core.job import Job, job_of, read_job
from bathyx.core.sheet.flat.blank import Blank
from bathyx.core.units import Family, worded
from bathyx.errors import Refusal

__all__ = [
    "Blank",
    "Evaluation",
    "Family",
    "Finding",
    "GoesIn",
    "Held",
    "Job",
    "Refusal",
    "blanks",
    "capacity_l",
    "change",
    "dip_l",
    "figures",
    "findings",
    "hold",
    "largest",
    "load",
    "mass_kg",
    "own_tables",
    "save",
    "stops",
    "tank",
    "way_in",
    "with_fittings",
    "work_out",
    "write_dxf",
    "write_papers",
]  # fmt: skip


def tank(
    family: str, sizes: Mapping[str, Any], *, sheet: str, fluid: str = "diesel", space_mm: tuple[float, float, float] | None = None,
    name: str = "Tank",
) -> Job:  # fmt: skip
    """A job with one tank and nothing in it.

    Args:
        family: profile, outline, rolled, saddle, hopper, halves, lofted or integral.
        sizes: fields of the family, inside sizes in mm, as `bathyx families` lists them.
        sheet: material and thickness in mm, like 5083/3.
        fluid: that it holds.
        space_mm: width, depth and height of the box it goes into; None where it stands free.
        name: of the job.

    Raises:
        Refusal: that names the field that is wrong.
    """
    space: dict[str, Any] = {"kind": "free"}
    if space_mm is not None:
        space = {key: {"typed": f"{v:g}"} for key, v in zip(("width", "depth", "height"), space_mm, strict=True)}
    document = {
        "brief": {"name": name, "fluid": fluid, "demand": {"kind": "capacity", "litres": 1.0}},
        "space": space,
        "tank": {"family": family, "sheet": sheet, **sizes},
    }
    return job_of(document)


def load(path: Path) -> Job:
    """A job from its file. Refusal where it is none."""
    from bathyx.files import read_text

    return read_job(read_text(path), path.name)


def own_tables(folder: Path) -> list[str]:
    """Lay the shop's own tables over those that ship (`sheets.toml`, `fluids.toml` …), before the first job is made; a sentence for
    each row that is wrong and was left out."""
    from bathyx.files.own_tables import read_own

    return read_own(folder)


def save(job: Job, path: Path) -> Path:
    """Write a job's file, whole or not at all. Refusal where it cannot be written."""
    from bathyx.files import write_text

    return write_text(path, job.to_json())


def change(job: Job, changes: Mapping[str, Any]) -> Job:
    """The job with values put at paths, like `{"tank.length_mm": 640.0}`. Refusal that says what would be right."""
    return job.edited_many(dict(changes))


def work_out(job: Job) -> Evaluation:
    """Everything that follows from a job. What was worked out for an equal part before is not worked out again.

    Raises:
        Refusal: for a job that no tank can be made of.
    """
    return evaluate(job)


def capacity_l(found: Evaluation) -> dict[str, float]:
    """Gross, net and usable litres, the usable ones on the brief's slope, and what was wanted."""
    r = found.results
    of = {
        "gross": r.capacity.gross, "net": r.capacity.net, "usable": r.capacity.usable,
        "usable_on_slope": r.capacity.usable_tilted, "wanted": r.wanted,
    }  # fmt: skip
    return {key: float(figure.value) for key, figure in of.items()}


def dip_l(found: Evaluation, levels_mm: Sequence[float]) -> tuple[float, ...]:
    """Litres up to levels over the lowest point, the tank level."""
    import numpy as np

    curve = found.results.capacity.curve
    return tuple(float(v) / 1e6 for v in curve.at(np.asarray(levels_mm, dtype=float) + curve.low_mm))


def mass_kg(found: Evaluation) -> dict[str, float]:
    """Dry, and full of the brief's fluid."""
    w = found.results.weight
    return {"dry": float(w.dry.value), "full": float(w.full.value)}


def figures(found: Evaluation) -> dict[str, Any]:
    """All figures as plain data, as `bathyx figures` prints them."""
    from bathyx.papers.figures import figures as plain

    return plain(found)


def findings(found: Evaluation) -> tuple[Finding, ...]:
    """What is wrong, the worst first: each with its rule, its source, and a remedy where there is one."""
    return tuple(found.findings)


def stops(found: Evaluation, units: Family = Family.METRIC) -> tuple[str, ...]:
    """What must not stand when metal is cut, in words."""
    return tuple(worded(finding.message, units) for finding in found.stops)


def with_fittings(job: Job) -> Job:
    """The job with what a tank of its fluid and machine usually has, placed by the rules that findings judge."""
    from bathyx.core.propose.fit_out import fit_out

    return fit_out(job).job


def largest(job: Job, seed: int = 1) -> tuple[Job, ...]:
    """The job with the largest tanks that its space takes, the largest first. Refusal where it has no hole, or no room."""
    from bathyx.core.propose.proposals import propose

    return tuple(job.edited_many(one.changes) for one in propose(job, seed=seed))


def blanks(found: Evaluation) -> tuple[Blank, ...]:
    """The flat pieces, inside face up: outline, holes, bends, marks. Refusal where nothing can be cut as it is."""
    return tuple(cuttable(found).results.blanks)


def write_dxf(blank: Blank, path: Path) -> Path:
    """A blank as DXF in mm, layers by tool."""
    from bathyx.papers.machine.dxf import write_dxf as write

    return write(blank, path)


def write_papers(found: Evaluation, folder: Path, units: Family = Family.METRIC) -> tuple[Path, ...]:
    """Every paper of a job into a folder."""
    from bathyx.papers.export import export_all

    folder.mkdir(parents=True, exist_ok=True)
    return tuple(export_all(found, folder, units))


@dataclass(frozen=True)
class Held:
    """What a hold says: tight, leaks, hold longer, settling or disturbed; the leak with its half-width of 95 %, mL/min; why."""

    verdict: str
    leak_ml_min: float
    half_width_ml_min: float
    reason: str


def hold(
    volume_l: float,
    seconds: Sequence[float],
    gauge_kpa: Sequence[float],
    temp_c: Sequence[float],
    limit_ml_min: float = 2.0,
) -> Held:
    """What a pressure trace proves.

    Args:
        volume_l: of gas in the tank.
        seconds: of each reading, (n,), rising.
        gauge_kpa: above the air outside, (n,).
        temp_c: of the gas, (n,).
        limit_ml_min: leak that is still tight.

    Raises:
        Refusal: for readings that say nothing.
    """
    from bathyx.core.proving.decay import Sample
    from bathyx.core.proving.readings import Trace
    from bathyx.core.proving.verdict import read_trace

    samples = [Sample(*map(float, row)) for row in zip(seconds, gauge_kpa, temp_c, strict=True)]
    if len(samples) < 2:
        raise Refusal("a hold has two readings at least")
    decision, leak = read_trace(Trace.of(samples), volume_l, limit_ml_min)
    least, half = (leak.ml_min, leak.half_width) if leak is not None else (math.nan, math.nan)
    return Held(decision.verdict, least, half, str(decision.reason))


@dataclass(frozen=True)
class GoesIn:
    """`verdict`: goes_in, cannot or not_found; the least air on the way, mm, and the moves of it in words; the reason otherwise."""

    verdict: str
    air_mm: float
    moves: tuple[str, ...]
    reason: str


def way_in(found: Evaluation, seconds: float = 20.0, seed: int = 1) -> GoesIn:
    """Whether a tank goes in by the openings of its space, and how.

    Args:
        found: of a job whose space has openings.
        seconds: how long to look.
        seed: an equal one gives an equal way, where time is not what ends it.

    Raises:
        Refusal: where no opening is said.
    """
    from bathyx.core.wayin.plan import way_in as look

    way = look(found, seconds, seed)
    air = way.tightest.mm if way.tightest is not None else math.nan
    return GoesIn(way.verdict, air, tuple(str(move.words) for move in way.moves), str(way.reason))
