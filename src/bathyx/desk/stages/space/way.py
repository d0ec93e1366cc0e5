"""Does it go in? The search on the card of the space: asked for, watched, played, told in moves; and what would make it go in."""

from __future__ import annotations

import json
from functools import partial
from itertools import pairwise
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QProgressBar, QSizePolicy, QVBoxLayout, QWidget

from bathyx.core.brief import Brief
from bathyx.core.job import Job, way_in_of
from bathyx.core.space.openings import MOST_MOVE, MOST_MOVES, MOST_WORDS, Promise
from bathyx.core.units import Said, show, worded
from bathyx.core.wayin.built import body_of
from bathyx.core.wayin.handling import handling
from bathyx.core.wayin.pose import Array, Pose, away, between, turn_of
from bathyx.desk.bench import Bench
from bathyx.desk.study import KeptStudy
from bathyx.desk.views.fields import Choice, Field, button, clear, relook, words
from bathyx.desk.views.plain import Slider
from bathyx.draft.proof_view import Ring
from bathyx.studies.kinds import KeptWay, WayInputs, WayResult

SECONDS, WAYS_SECONDS, STEPS = 20.0, 120.0, 1000
CARRIED = [("hands", "carried by hands"), ("hoist", "hung from a hoist")]


class Way(QWidget):
    """The search for a way in, and the way itself."""

    def __init__(self, bench: Bench, study: KeptStudy, ways: KeptStudy) -> None:
        super().__init__()
        self.bench, self.study, self.ways = bench, study, ways
        self.share: float | None = None
        self.outward = self.why = False
        self._shown: tuple[object, ...] = ()
        self._offered: tuple[object, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.handled: tuple[QWidget, ...] = (
            Choice(bench, "It is", "space.way_in.carried", CARRIED),
            Field(bench, "Leans at most, 0 for any way", "space.way_in.tilt_deg", "angle"),
            Field(bench, "Air to keep on the way", "space.way_in.keep_mm", "length"),
        )
        for field in self.handled:
            column.addWidget(field)
        self.ask = button("Find a way in", "find way", self.run, "main")
        self.more = button("What would make it go in?", "find ways", self.run_ways)
        self.halt = button("Stop", "stop way", self.stop)
        self.progress = QProgressBar()
        self.progress.setRange(0, 100)
        column.addWidget(self.ask)
        line = QHBoxLayout()
        line.addWidget(self.progress)
        line.addWidget(self.halt)
        column.addLayout(line)
        self.said = words("", "quiet")
        column.addWidget(self.said)
        self.clash = button("Show what clashes", "what clashes", self._turn_why)
        self.clash.setCheckable(True)
        column.addWidget(self.clash)
        self.back = QCheckBox("Show the way out again")
        self.back.setObjectName("way out")
        self.back.toggled.connect(self._turn_outward)
        column.addWidget(self.back)
        self.slider = Slider(Qt.Orientation.Horizontal)
        self.slider.setObjectName("way slider")
        self.slider.setAccessibleName("Along the way, from outside to the seat")
        self.slider.setRange(0, STEPS)
        self.slider.setPageStep(40)
        self.slider.valueChanged.connect(self._slid)
        column.addWidget(self.slider)
        self.tight = button("Show the tightest moment", "tightest moment", self.show_tightest)
        column.addWidget(self.tight)
        self.sheet = button("Write it on paper", "way sheet", self.write_sheet)
        column.addWidget(self.sheet)
        self.keep = button("Promise it: keep it with the job", "keep way", self.keep_it)
        column.addWidget(self.keep)
        self.moves = QVBoxLayout()
        self.moves.setSpacing(3)
        column.addLayout(self.moves)
        column.addWidget(self.more)
        self.changes = QVBoxLayout()
        self.changes.setSpacing(4)
        column.addLayout(self.changes)
        for one in (study, ways):
            one.progressed.connect(lambda share: self.progress.setValue(int(100 * share)))
            one.done.connect(self.bench.lit_changed.emit)

    def inputs(self, *, ways: bool = False) -> WayInputs:
        """What the search reads: the tank with its fittings and the space, not who it is for."""
        job = self.bench.job
        space = job.space
        if space.way_in is not None and space.way_in.promise is not None:
            space = space.model_copy(update={"way_in": space.way_in.model_copy(update={"promise": None})})
        bare = Job(
            uid="way-in-job",
            brief=Brief(),
            space=space,
            tank=job.tank,
            makeup=job.makeup,
            inside=job.inside,
            second=job.second,
            layup=job.layup,
            panel_layups=job.panel_layups,
        )
        return WayInputs(bare, WAYS_SECONDS if ways else SECONDS, 1, ways)

    def run(self) -> None:
        """Look for a way."""
        self.share = None
        self.study.run(self.inputs())
        self.bench.lit_changed.emit()

    def run_ways(self) -> None:
        """Look for what would make it go in."""
        self.ways.run(self.inputs(ways=True))
        self.bench.lit_changed.emit()

    def stop(self) -> None:
        """Give up what is searched for."""
        self.study.stop()
        self.ways.stop()
        self.bench.lit_changed.emit()

    @property
    def found(self) -> WayResult | None:
        """What was found for the job as it is."""
        found = self.study.result
        if not isinstance(found, WayResult) or self.study.stale(self.inputs()) or self.bench.job.space.way_in is None:
            return None
        return found

    @property
    def way(self) -> KeptWay | None:
        """The way that is shown: in, or out again."""
        found = self.found
        if found is None:
            return None
        return found.out if self.outward and found.out is not None and found.out.places else found.way

    @property
    def clashes(self) -> tuple[tuple[str, Ring, Ring], ...]:
        """What a proof is of, where that is to be drawn."""
        way = self.way
        return () if way is None or not self.why else tuple((c.opening, c.hole, c.section) for c in way.clashes)

    def keep_it(self) -> None:
        """The verdict with the job: a finding, and what the fit check is held against."""
        found, job = self.found, self.bench.job
        if found is None or found.way is None:
            return
        way, out = found.way, found.out
        promise = Promise(
            verdict=way.verdict,
            reason=way.reason[:MOST_WORDS],
            moves=tuple(text[:MOST_MOVE] for text in way.words[:MOST_MOVES]),
            tightest_mm=way.tightest_mm,
            of=way_in_of(job),
            out="" if out is None else "comes_out" if out.verdict == "goes_in" else out.verdict,
            out_reason="" if out is None else out.reason[:MOST_WORDS],
        )
        self.bench.edit({"space.way_in.promise": promise.model_dump(mode="json")}, "keep what was found of the way in")

    def _turn_why(self) -> None:
        self.why = self.clash.isChecked()
        self.bench.lit_changed.emit()

    def _turn_outward(self, on: bool) -> None:
        self.outward = on
        self.bench.lit_changed.emit()

    @property
    def drawn(self) -> Array | None:
        """Triangles (k, 3, 3) of the tank where the slider has it; None without a way."""
        way = self.way
        if way is None or not way.places or self.share is None:
            return None
        middle, reach = self._body()
        return pose_at(way, self.share, reach).points(body_of(self.bench.evaluation, bare=True) - middle)

    def _body(self) -> tuple[Array, float]:
        """(middle (3,), reach mm) of the tank where it sits, as the search had it."""
        spots = body_of(self.bench.evaluation, out=self._is_out).reshape(-1, 3)
        middle = (spots.min(axis=0) + spots.max(axis=0)) / 2
        return np.asarray(middle), float(np.linalg.norm(spots - middle, axis=1).max())

    @property
    def _is_out(self) -> bool:
        return self.outward and self.found is not None and self.way is self.found.out

    def _slid(self, value: int) -> None:
        self.share = value / STEPS
        self.bench.lit_changed.emit()

    def show_tightest(self) -> None:
        """Put the slider where it is tightest."""
        way = self.way
        if way is None or not way.places:
            return
        longs = legs_of(way, self._body()[1])
        gone = (
            float(longs[: way.tightest_leg].sum() + longs[way.tightest_leg] * way.tightest_share) if len(longs) else 0.0
        )
        self.slider.setValue(round(STEPS * gone / max(float(longs.sum()), 1e-9)))
        self._slid(self.slider.value())

    def write_sheet(self) -> Path | None:
        """The way as a PDF beside the job."""
        way, b = self.way, self.bench
        if way is None or not way.places:
            return None
        from bathyx.papers.way_in import Told, write_way_in  # not at the start: only papers need it

        poses = poses_of(way)
        tight = between(poses[way.tightest_leg], poses[min(way.tightest_leg + 1, len(poses) - 1)], way.tightest_share)
        told = Told(poses, way.words, tight, way.tightest_to, way.tightest_mm, self._is_out)
        folder = b.file.path.parent if b.file is not None else b.home
        try:
            path = write_way_in(
                b.evaluation,
                folder / f"{b.job.uid} way {'out' if self._is_out else 'in'}.pdf",
                told,
                b.units,
                b.stationery,
            )
        except OSError as error:
            b.said.emit("trouble", f"The way on paper: {error.strerror or error}")
            return None
        b.said.emit("note", f"The way is written to {path.name}, beside the job")
        return path

    def refresh(self) -> None:
        """Show what is known."""
        has = self.bench.job.space.way_in is not None
        if has:
            self.study.look(self.inputs())
            self.ways.look(self.inputs(ways=True))
        running = self.study.running or self.ways.running
        for part in (self.ask, *self.handled):
            part.setVisible(has)
        if has:
            for field in self.handled:
                field.refresh()  # type: ignore[attr-defined]
        self.progress.setVisible(running)
        self.halt.setVisible(running)
        way = self.way
        goes = way is not None and bool(way.places)
        if not goes:
            self.share = None
            with QSignalBlocker(self.slider):
                self.slider.setValue(0)
        for part in (self.slider, self.tight, self.sheet):
            part.setVisible(goes)
        found = self.found
        self.back.setVisible(found is not None and found.out is not None and bool(found.out.places))
        self.clash.setVisible(way is not None and bool(way.clashes))
        self.keep.setVisible(way is not None)
        kept = self.bench.job.space.way_in.promise if self.bench.job.space.way_in is not None else None
        same = kept is not None and kept.of == way_in_of(self.bench.job)
        promise = "Promise it: keep it with the job" if goes else "Keep this with the job"
        self.keep.setText("Kept with the job" if same else promise)
        self.keep.setEnabled(not same)
        self.more.setVisible(has and way is not None and not goes)
        self.said.setText(self._text(way, has))
        looks = {"goes_in": "good", "cannot": "trouble"}
        relook(self.said, "look", "quiet" if way is None else looks.get(way.verdict, ""))
        self._list(way if goes or (way is not None and way.words) else None)
        self._offer()

    def _text(self, way: KeptWay | None, has: bool) -> str:
        if not has:
            return "Put a hatch into the drawing first: it is in the tray at the left"
        if self.study.running:
            return "Looking for a way from outside to the seat…"
        if self.study.trouble and way is None:
            return self.study.trouble
        if way is None:
            stale = self.study.result is not None and self.study.inputs is not None
            return "The tank or its space has changed since it was looked at." if stale else "Not looked at yet."
        units, found = self.bench.units, self.found
        way = found.way if found is not None and found.way is not None else way
        said = worded(Said(way.reason), units)
        if way.verdict == "cannot":
            return f"It cannot go in. {said}."
        if way.verdict != "goes_in":
            return f"Not found: {said}."
        out = found.out if found is not None else None
        back = "" if out is None else worded(Said(out.reason), units)
        more = {"goes_in": f" It {back}.", "cannot": f" It does not come out whole: {back}."}
        return f"It {said}." + ("" if out is None else more.get(out.verdict, f" Out again: {back}."))

    def _list(self, way: KeptWay | None) -> None:
        in_ = self.bench.job.space.way_in
        handled = (in_.carried, in_.tilt_deg) if in_ is not None else ()
        key = (way.words if way is not None else (), self.bench.units, handled)
        if key == self._shown:
            return
        self._shown = key
        clear(self.moves)
        for k, text in enumerate(way.words if way is not None else ()):
            count = (k or "Begin") if way is not None and way.places else k + 1
            self.moves.addWidget(words(f"{count}: {worded(Said(text), self.bench.units)}"))
        if way is not None:
            in_, dry = self.bench.job.space.way_in, self.bench.evaluation.results.weight.dry.value
            assert in_ is not None
            self.moves.addWidget(words(worded(handling(in_, dry), self.bench.units), "caution"))

    def _offer(self) -> None:
        found = self.ways.result
        stale = not isinstance(found, WayResult) or self.ways.stale(self.inputs(ways=True))
        key = (id(found), stale, self.ways.running, self.ways.trouble, self.bench.units)
        if key == self._offered:
            return
        self._offered = key
        clear(self.changes)
        if not isinstance(found, WayResult) or stale or self.ways.running:
            if self.ways.trouble:
                self.changes.addWidget(words(self.ways.trouble, "trouble"))
            return
        if not found.changes:
            self.changes.addWidget(
                words("Nothing was found in the time that makes it go in; there may be something.", "quiet")
            )
        for k, change in enumerate(found.changes, start=1):
            units = self.bench.units
            cost = f"−{show(change.litres, 'volume', units)}" if change.litres > 0.005 else "no litres lost"
            air = show(change.way.tightest_mm, "length", units, places=1)
            text = f"{worded(Said(change.words), units)}\n{cost}, tightest {air}"
            made = button(text, f"way change {k}", partial(self._take, change.changes, change.words))
            made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            self.changes.addWidget(made)

    def _take(self, changes: str, text: str) -> None:
        self.bench.edit(json.loads(changes), worded(Said(text), self.bench.units))


def poses_of(way: KeptWay) -> list[Pose]:
    """Its poses, from outside to the seat."""
    return [Pose(np.array(at), turn_of(*q)) for at, q in zip(way.places, way.turns, strict=True)]


def legs_of(way: KeptWay, reach: float) -> Array:
    """(n,) how long each leg of a way is, mm."""
    poses = poses_of(way)
    return np.array([away(a, b, reach) for a, b in pairwise(poses)])


def pose_at(way: KeptWay, share: float, reach: float) -> Pose:
    """Where the tank is at a share of the way."""
    poses = poses_of(way)
    if len(poses) < 2:
        return poses[0]
    longs = legs_of(way, reach)
    gone = share * float(longs.sum())
    for a, b, long in zip(poses, poses[1:], longs, strict=False):
        if gone <= long or b is poses[-1]:
            return between(a, b, min(gone / max(float(long), 1e-9), 1.0))
        gone -= float(long)
    return poses[-1]
