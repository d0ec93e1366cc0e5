"""Hand over: the plate, the dip chart, the papers, and the register in which the tank is found years later."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit, QListWidget

from bathyx.core.job import JobError, read_job
from bathyx.core.material import fluids
from bathyx.desk.stages.stage import Stage
from bathyx.desk.views.bench_line import TileData
from bathyx.desk.views.fields import Card, Choice, button, words
from bathyx.draft.charts import dip_chart
from bathyx.draft.picture import Picture, stacked
from bathyx.draft.plate_view import plate_view
from bathyx.papers.plate import plate_data


class HandOverStage(Stage):
    """Papers and register."""

    title, key = "Hand over", "handover"

    def tile(self) -> TileData:
        """The serial number."""
        serial = self.bench.serial
        if self.bench.record.proven is None:
            return TileData(
                serial or "no serial", "not proven yet", 0.0 if serial is None else 0.3, "open", self._explained()
            )
        return TileData(serial or "", "ready to hand over", 1.0, "go", self._explained())

    def _explained(self) -> str:
        """What makes a tank ready to hand over, and how far this one is."""
        proof = self.bench.record.proof
        lines = ["Serial number: letters of the maker, year, running number; given with the first record"]
        for test, entry in proof.rows:
            what = test.words if test is not None else "a tight test"
            said = f"tight, {entry.at[:10]} by {entry.who}" if entry is not None else "not proven"
            lines.append(f"{what}: {said}")
        lines.append("A tank is proven when every test of its plan is tight, on this design, with nothing welded since")
        lines.append("Source: the register")
        return "\n".join(lines)

    def flat(self) -> Picture:
        """Plate and dip chart."""
        b = self.bench
        data = plate_data(b.evaluation, b.record, b.serial)
        return stacked([plate_view(data), dip_chart(b.evaluation, b.units, 120, 92)], 20)

    def make_card(self) -> Card:
        """Papers first, then the register."""
        b = self.bench
        card = Card(b)
        card.head("Papers")
        self.ready = card.add(words(""))
        card.add(button("Write all papers", "write all papers", self.write_papers, "main"))
        card.add(
            words(
                "Test record with plate and dip chart, traveller, cut list, dip table (CSV, PDF), DXF, figures.",
                "quiet",
            )
        )
        card.head("The register")
        self.find_words = QLineEdit()
        self.find_words.setObjectName("find")
        self.find_words.setPlaceholderText("serial, customer or name")
        self.find_words.textChanged.connect(lambda _t: self.search())
        card.add(self.find_words)
        self.fluid = Choice(
            b,
            "Fluid",
            "find fluid",
            [("", "any"), *((f.key, f.name) for f in fluids().values())],
            take=lambda _v: self.search(),
            read=self._chosen_fluid,
        )
        card.add(self.fluid)
        self.since, self.until = QLineEdit(), QLineEdit()
        for edit, name, hint in ((self.since, "since", "from 2026-01-01"), (self.until, "until", "to 2026-12-31")):
            edit.setObjectName(name)
            edit.setPlaceholderText(hint)
            edit.textChanged.connect(lambda _t: self.search())
        card.row(self.since, self.until)
        self.results = QListWidget()
        self.results.setObjectName("found")
        self.results.setWordWrap(True)
        self.results.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.results.setFixedHeight(170)
        self.results.itemActivated.connect(lambda _i: self.open_found())
        card.add(self.results)
        card.row(
            button("Open this tank", "open found", self.open_found), button("Check the records", "verify", self.verify)
        )

        def also() -> None:
            proven = b.record.proven
            self.ready.setText(
                f"Proven {proven.at[:10]} by {proven.who}: {proven.payload['reason']}."
                if proven
                else "Not proven: the test record will say so in its head."
            )
            self.search()

        card.on_refresh(also)
        return card.finish()

    def _chosen_fluid(self) -> str:
        return str(self.fluid.options[max(0, self.fluid.box.currentIndex())][0])

    def search(self) -> None:
        """What the register holds for the words, fluid and dates."""
        fluid = self.fluid.options[max(0, self.fluid.box.currentIndex())][0]
        found = self.bench.register.find(
            self.find_words.text(), fluid, self.since.text().strip(), self.until.text().strip()
        )
        self.found = found
        self.results.clear()
        for f in found:
            self.results.addItem(
                f"{f.serial}  {f.name}\n{f.customer}, {fluids()[f.fluid].name.lower()}, {f.opened_at[:10]}"
            )
        if found:
            self.results.setCurrentRow(0)

    def open_found(self) -> None:
        """Take the tank in hand: its job file, or the document frozen in the register when the file is gone."""
        row = self.results.currentRow()
        if not 0 <= row < len(self.found):
            return
        found = self.found[row]
        for path in sorted((self.bench.home / "jobs").glob("*.json")):
            try:
                if read_job(path.read_text("utf-8")).uid == found.uid:
                    self.bench.open(path)
                    return
            except (JobError, OSError):
                continue
        self.bench.start_new(read_job(found.document))

    def verify(self) -> None:
        """Prove that no record was changed."""
        broken = self.bench.register.verify()
        if broken:
            self.bench.said.emit(
                "trouble", f"Entry {broken[0].entry_id} {broken[0].reason}; {len(broken)} places in all"
            )
        else:
            self.bench.said.emit("note", "Every record follows the one before it unchanged")

    def write_papers(self) -> None:
        """All papers; a proven tank's papers are put on record."""
        b = self.bench
        e, units, record, serial = b.evaluation, b.units, b.record, b.serial
        if record.proven is not None and b.who.strip():
            b.add_record("certificate", "test record", {"test": record.proven.id, "hash": record.proven.hash})

        def write(folder: Path) -> list[Path]:
            from bathyx.papers.export import export_all

            return export_all(e, folder, units, record, serial)

        b.write_papers(write)
