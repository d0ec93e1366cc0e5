"""What is put on record at the prove stage beside its runs: traces of other loggers, air let out, what was mended, leaks seen."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QLineEdit, QSlider

from bathyx.core.build.rules import NAME_FIRST
from bathyx.core.build.trial import terms_for
from bathyx.core.proving.decay import Sample
from bathyx.core.proving.gauges import UNKNOWN
from bathyx.core.proving.judgement import LET_OUT, SET_UP
from bathyx.core.units import worded
from bathyx.desk.stages.prove.run import HoldRun
from bathyx.errors import Refusal
from bathyx.files.traces import columns_said, ended_at, read_trace_file, samples_of
from bathyx.register import Entry, bring_in, record_of


class ProveRecords(HoldRun):
    """Runs holds, and keeps what else the tests bring. Its card has made the fields that are read here."""

    share: QSlider
    leak_note: QLineEdit
    mended: QLineEdit
    trace_path: QLineEdit
    trace_columns: QLineEdit

    def bring_in(self) -> None:
        """A trace of another logger becomes a hold on record of the chosen test, its columns as they are typed."""
        b, test = self.bench, self.test
        try:
            if not b.who.strip():
                raise Refusal(NAME_FIRST)
            if not test.pressed:
                raise Refusal("This test has no pressure to read: choose another")
            kind = self._kind()
            if self.kind_name == UNKNOWN.name:
                raise Refusal("Choose the gauge that the logger read, under Gauge kind: its accuracy counts")
            columns = columns_said(self.trace_columns.text(), kind.absolute)
            file = read_trace_file(Path(self.trace_path.text().strip()).expanduser())
            samples = [Sample(*row) for row in samples_of(file, columns)]
            terms = terms_for(
                b.evaluation, test, gauge=kind.model_copy(update={"barometer": bool(columns.barometer)}),
                identity="brought in from a file", override=self.override_now(), missing=self.missing,
                blanked=self.blanked.text().strip(), thermometer=self.thermometer.currentText(),
            )  # fmt: skip
            source = {"name": file.name, "sha256": file.sha256, "columns": self.trace_columns.text().strip()}
            ended = ended_at(file, columns)
            source["ended_at"] = ended.isoformat() if ended is not None else ""
            judged = bring_in(
                b.register, b.job, terms, samples, source, b.who, lambda: record_of(b.register, b.evaluation)
            )
        except Refusal as error:
            b.said.emit("trouble", worded(str(error), b.units))
            return
        self.trace_path.clear()
        b.read_again()
        b.said.emit("note", f"Brought in: {judged.verdict}. {worded(judged.reason, b.units)}")

    def say_let_out(self) -> None:
        """By name: the air of the last test was let out; what it lost is no leak."""
        entry = self.lost_test
        if entry is not None:
            words_ = f"the air of the test of {entry.at[:16].replace('T', ' ')} was let out"
            self.bench.add_record("note", LET_OUT, {"test": entry.id, "text": words_})

    @property
    def lost_test(self) -> Entry | None:
        """The test that lost its pressure and stands as a leak, until somebody says what became of the air."""
        lost = [leak.entry.id for leak in self.bench.record.proof.leaks if leak.entry.payload.get("lost")]
        return next((e for e in reversed(self.bench.record.tests) if e.id in lost), None)

    @property
    def leak_without_place(self) -> bool:
        """Whether a test leaked, nobody knows where, and nothing was done about it yet."""
        return any(
            leak.entry.kind == "test" and not leak.entry.payload.get("lost") and not leak.edge
            for leak in self.bench.record.proof.leaks
        )

    def log_mended(self) -> None:
        """What was done about a leak that is on no seam: a cap, a hose, a fitting of the test."""
        note = self.mended.text().strip()
        if not note:
            self.bench.said.emit("trouble", "Say what leaked and what was done: a cap, a hose, a thread of the set-up")
            return
        if self.bench.add_record("repair", SET_UP, {"note": note, "edge": SET_UP}):
            self.mended.clear()

    def mark_leak(self) -> None:
        """A leak on the lit seam, on record at once; a running test counts it by the record."""
        if not any(self.bench.lit in (f"seam:{s.id}", s.edge) for s in self.every_seam):
            self.bench.said.emit("trouble", "Pick the seam or fitting on the drawing first, then mark the leak on it")
            return
        leak = {"share": self.share.value() / 100, "note": self.leak_note.text().strip() or "seen"}
        if self.add_seam_record("leak", leak):
            self.leak_note.clear()
