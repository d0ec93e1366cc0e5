"""The kinds of study: what each is run on, and what it finds. A new kind is a pair of frozen classes and a line in `KINDS`."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, Protocol

import numpy as np
from pydantic import TypeAdapter

from bathyx import __version__
from bathyx.core.capacity.attitude_map import AttitudeMap, attitude_map
from bathyx.core.evaluate import inside_of, results_of
from bathyx.core.job import Job
from bathyx.core.makeups.aims import Aim
from bathyx.core.makeups.rates import Rates
from bathyx.core.memory import digest
from bathyx.core.propose import Kind as ProposalKind
from bathyx.core.propose import Proposal, propose
from bathyx.core.proving.designer import Design, design
from bathyx.core.proving.gauges import GaugeKind, Surroundings
from bathyx.core.proving.rehearsal import Bench
from bathyx.core.sheet.cutting.cut_plan import CutPlan, Cutting, Part, cut_plan
from bathyx.core.sheet.cutting.nest import Nest, Piece, nest
from bathyx.core.tables import own_now

if TYPE_CHECKING:
    from bathyx.core.wayin.whole import WayFound


class Progress(Protocol):
    """What a study tells on its way: called with the share done, it is False once the study should stop."""

    def __call__(self, share: float) -> bool:
        """The share done."""

    def so_far(self, result: Any) -> None:
        """The result as it stands."""


@dataclass(frozen=True)
class NestInputs:
    """Blanks as rectangles, and the stock sheets (mm) they may be cut from."""

    pieces: tuple[Piece, ...]
    stocks: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class DesignInputs:
    """A planned hold: air volume and pressure, leak that counts, gauge, air round the tank, what the panels bear."""

    bench: Bench
    limit_ml_min: float
    sensors: GaugeKind
    around: Surroundings
    most_kpa: float


@dataclass(frozen=True)
class ProposeInputs:
    """A job, of which space and sheet count; kinds of proposals; numbers of panels; litres wanted, None for the most."""

    job: Job
    kinds: tuple[ProposalKind, ...]
    panels: tuple[int, ...]
    litres: float | None = None


@dataclass(frozen=True)
class AttitudeInputs:
    """A job, of which tank, make-up and inside count, and air space."""

    job: Job


@dataclass(frozen=True)
class ScanInputs:
    """A scan's file as it was at `stamp` (bytes, time), its unit and place: `look` only reads it, `points` are three places.
    `down`: its own z points down."""

    path: str
    stamp: tuple[int, int]
    unit: str = "mm"
    place: Literal["look", "as it is", "floor", "points"] = "look"
    points: tuple[tuple[float, float, float], ...] = ()
    down: bool = False


@dataclass(frozen=True)
class ScanFound:
    """Stations as the document has them, and points: of a look in its own unit, else as the document keeps them; words of strays,
    noise and places that were not seen."""

    stations: tuple[dict[str, Any], ...]
    scan: str
    points: tuple[tuple[float, float, float], ...]
    words: str = ""


@dataclass(frozen=True)
class WayInputs:
    """A job, of which tank, fittings and space count; seconds to look, and whether for what would make it go in."""

    job: Job
    seconds: float
    seed: int = 1
    ways: bool = False


@dataclass(frozen=True)
class KeptClash:
    """What a proof is of: an opening, its outline, and that of the section of the tank that comes nearest to passing, mm."""

    opening: str
    hole: tuple[tuple[float, float], ...]
    section: tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class KeptWay:
    """A way as it is kept: the middle's places and turns (w, x, y, z) from outside to the seat, its moves in words; where it is
    tightest: mm, to what, at which leg and share of it. A way out begins at the seat."""

    verdict: str
    reason: str
    words: tuple[str, ...]
    places: tuple[tuple[float, float, float], ...]
    turns: tuple[tuple[float, float, float, float], ...]
    tightest_mm: float
    tightest_to: str
    tightest_leg: int
    tightest_share: float
    clashes: tuple[KeptClash, ...] = ()


@dataclass(frozen=True)
class KeptChange:
    """What would make it go in: words, the edits as JSON, litres lost, and the way."""

    words: str
    changes: str
    litres: float
    way: KeptWay


@dataclass(frozen=True)
class WayResult:
    """A way in and the way out, or what would make one."""

    way: KeptWay | None
    changes: tuple[KeptChange, ...] = ()
    out: KeptWay | None = None


@dataclass(frozen=True)
class CutInputs:
    """Parts (name, outline), stock sheets and off-cuts (mm), how they are cut, and seconds to look."""

    parts: tuple[tuple[str, tuple[tuple[float, float], ...]], ...]
    stocks: tuple[tuple[float, float], ...]
    offcuts: tuple[tuple[float, float], ...]
    how: Cutting
    seconds: float = 10.0


@dataclass(frozen=True)
class MakeUpInputs:
    """A job, of which tank, make-up and space count; what is best, how many to give, the shop's rates, and off-cuts (mm)."""

    job: Job
    aim: Aim
    top: int = 6
    rates: Rates = field(default_factory=Rates)
    offcuts: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class KeptBlank:
    """A blank to look at: its outline and the ends of its bends, mm."""

    outline: tuple[tuple[float, float], ...]
    bends: tuple[tuple[float, float, float, float], ...]


@dataclass(frozen=True)
class KeptMakeUp:
    """A make-up as it is kept: its edits as JSON, its figures, and its blanks to look at."""

    name: str
    changes: str
    weld_mm: float
    low_mm: float
    parts: int
    bends: int
    sheets: int | None
    minutes: float
    money: float
    stops: tuple[str, ...]
    blanks: tuple[KeptBlank, ...]
    flat_share: float = 0.0


@dataclass(frozen=True)
class MakeUpsFound:
    """Make-ups, the best first, and how much better one that was missed may be."""

    found: tuple[KeptMakeUp, ...]
    gap: float
    proven: bool = False


@dataclass(frozen=True)
class Proposals:
    """What was found, the largest first."""

    found: tuple[Proposal, ...]


@dataclass(frozen=True)
class Kind:
    """A kind of study: `run(inputs, progress)` gives a `result`; `progress(share)` is False once it should stop.

    `most_s`: seconds of computing, and `most_bytes`: of memory, after which its process is ended; 0 for no limit. What reads a
    stranger's file has both.
    """

    name: str
    inputs: type
    result: type
    run: Callable[[Any, Progress], Any]
    most_s: int = 0
    most_bytes: int = 0

    def key(self, inputs: Any) -> str:
        """What its result is kept under: the kind, this release, the shop's own rows and the content of the inputs."""
        return digest(self.name, __version__, own_now(), self.inputs_as.dump_json(inputs)).hex()

    @cached_property
    def inputs_as(self) -> TypeAdapter[Any]:
        """Inputs as JSON and back."""
        return TypeAdapter(self.inputs)

    @cached_property
    def result_as(self) -> TypeAdapter[Any]:
        """A result as JSON and back."""
        return TypeAdapter(self.result)


def _nest(inputs: NestInputs, progress: Progress) -> Nest:
    return nest(inputs.pieces, inputs.stocks, progress=progress)


def _attitudes(inputs: AttitudeInputs, progress: Progress) -> AttitudeMap | None:
    r = results_of(inputs.job)
    return attitude_map(r.shell, inside_of(inputs.job, r), inputs.job.inside.fittings, r.capacity, progress)


def _scan(inputs: ScanInputs, progress: Progress) -> ScanFound:
    from bathyx.files.scans import cut_scan, looked_at  # not at the start: only scans need it

    path = Path(inputs.path)
    progress(0.1)
    if inputs.place == "look":
        return ScanFound((), "", tuple((float(x), float(y), float(z)) for x, y, z in looked_at(path)))
    if inputs.place == "points":
        a, b, c = (np.array(spot) for spot in inputs.points)
        cut, points = cut_scan(path, inputs.unit, (a, b, c), down=inputs.down)
    else:
        cut, points = cut_scan(path, inputs.unit, inputs.place, down=inputs.down)
    return ScanFound(tuple(cut.stations), points, (), cut.words)


def _kept_way(found: WayFound) -> KeptWay:
    least = found.tightest
    return KeptWay(
        found.verdict,
        str.__str__(found.reason),
        tuple(str.__str__(move.words) for move in found.moves),
        tuple((float(p.at[0]), float(p.at[1]), float(p.at[2])) for p in found.path),
        tuple(p.quaternion for p in found.path),
        least.mm if least else 0.0,
        least.what if least else "",
        least.leg if least else 0,
        least.share if least else 0.0,
        tuple(KeptClash(p.opening, p.hole, p.outline) for p in found.proofs),
    )


def _way_in(inputs: WayInputs, progress: Progress) -> WayResult:
    from bathyx.core.evaluate import evaluate
    from bathyx.core.wayin.plan import way_in, way_out
    from bathyx.core.wayin.ways import ways_in

    if not inputs.ways:
        e = evaluate(inputs.job)
        found = way_in(e, inputs.seconds, inputs.seed, progress)
        if found.verdict != "goes_in" or not found.path:
            return WayResult(_kept_way(found))
        out = way_out(e, found, inputs.seconds, inputs.seed, progress)
        return WayResult(_kept_way(found), (), _kept_way(out))
    more = ways_in(inputs.job, inputs.seconds, inputs.seed, progress)
    kept = (KeptChange(str.__str__(c.words), json.dumps(c.changes), c.litres, _kept_way(c.way)) for c in more)
    return WayResult(None, tuple(kept))


def _cut_plan(inputs: CutInputs, progress: Progress) -> CutPlan:
    parts = [Part(name, np.array(outline, float)) for name, outline in inputs.parts]
    told: list[CutPlan] = []

    def heard(share: float, best: CutPlan | None) -> bool:
        if best is not None and best not in told:
            told.append(best)
            progress.so_far(best)
        return progress(share)

    return cut_plan(parts, inputs.stocks, inputs.offcuts, inputs.how, inputs.seconds, heard)


def _make_ups(inputs: MakeUpInputs, progress: Progress) -> MakeUpsFound:
    from bathyx.core.makeups.plan import make_ups

    made = make_ups(inputs.job, inputs.aim, inputs.top, inputs.rates, heard=progress, offcuts=inputs.offcuts)
    kept = []
    for c in made.found:
        blanks = tuple(
            KeptBlank(
                tuple((float(x), float(y)) for x, y in b.outline.faceted),
                tuple((*map(float, bend.start), *map(float, bend.end)) for bend in b.bends),  # type: ignore[misc]
            )
            for b in c.blanks
            if b.role == "shell"
        )
        kept.append(
            KeptMakeUp(
                c.name,
                json.dumps(c.changes),
                c.weld_mm,
                c.low_mm,
                c.parts,
                c.bends,
                c.sheets,
                c.minutes,
                c.money,
                c.stops,
                blanks,
                c.flat_share,
            )
        )
    return MakeUpsFound(tuple(kept), made.gap, made.proven)


def _propose(inputs: ProposeInputs, progress: Progress) -> Proposals:
    found: list[Proposal] = []

    def heard(share: float, latest: Proposal | None) -> bool:
        if latest is not None and latest not in found:
            found.append(latest)
            progress.so_far(Proposals(tuple(sorted(found, key=lambda p: -p.gross_l))))
        return progress(share)

    return Proposals(propose(inputs.job, inputs.kinds, inputs.panels, inputs.litres, heard=heard))


def _design(inputs: DesignInputs, progress: Progress) -> Design:
    return design(
        inputs.bench, inputs.limit_ml_min, inputs.sensors, inputs.around, inputs.most_kpa, lambda: not progress(0.5)
    )


KINDS = {
    kind.name: kind
    for kind in (
        Kind("nest", NestInputs, Nest, _nest),
        Kind("design", DesignInputs, Design, _design),
        Kind("propose", ProposeInputs, Proposals, _propose),
        Kind("way_in", WayInputs, WayResult, _way_in),
        Kind("cut_plan", CutInputs, CutPlan, _cut_plan),
        Kind("make_ups", MakeUpInputs, MakeUpsFound, _make_ups),
        Kind("scan", ScanInputs, ScanFound, _scan, most_s=180, most_bytes=6_000_000_000),
        Kind("attitudes", AttitudeInputs, AttitudeMap, _attitudes),
    )
}
