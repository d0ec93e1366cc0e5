"""Hand over: the plate, the dip chart, the papers, and the register in which the tank is found years later."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtWidgets import QListWidget

from bathyx.core.build.rules import handover_refusal
from bathyx.core.evaluate import evaluate
from bathyx.core.job import read_job
from bathyx.core.material import fluids
from bathyx.core.proving.judgement import COPY
from bathyx.core.units import worded
from bathyx.desk.bench import Bench
from bathyx.desk.stages.handover.filling import FirstFill
from bathyx.desk.stages.handover.shop_paper import ShopPaper
from bathyx.desk.stages.stage import Stage
from bathyx.desk.study import Study
from bathyx.desk.theme import Theme
from bathyx.desk.views.card import Card
from bathyx.desk.views.fields import Choice, button, relook, words
from bathyx.desk.views.plain import TextLine
from bathyx.desk.views.shelf import job_files
from bathyx.desk.views.tile_data import TileData
from bathyx.draft.charts import dip_chart
from bathyx.draft.picture import Picture, stacked
from bathyx.draft.plate_view import plate_view
from bathyx.errors import Refusal, brief
from bathyx.files import read_text
from bathyx.papers.plate import plate_data
from bathyx.register import Broken, Head, RegisterError, record_of
from bathyx.register.ledger.keys import PRIVATE, PUBLIC, make_key
from bathyx.register.ledger.register import MOST_FOUND

MOST_REASONS, MOST_TALL = 4, 190


def _is_of(path: Path, uid: str) -> bool:
    """Whether a file is the job with this uid; one that cannot be read is not."""
    try:
        text = read_text(path)
        return uid in text and read_job(text).uid == uid
    except Refusal:
        return False


class HandOverStage(Stage):
    """Papers and register."""

    _looked_at = ""

    def __init__(self, bench: Bench, theme: Theme) -> None:
        super().__init__(bench, theme)
        self.fill = FirstFill(bench)

    def studies(self) -> tuple[Study, ...]:
        """The check of the records, once there is a card."""
        return (self.study, self.looking) if self._card is not None else ()

    def tile(self) -> TileData:
        """The serial number."""
        serial = self.bench.serial
        proof = self.bench.record.proof
        if not proof.whole:
            leak = proof.state == "leak known"
            said = (
                "leak known"
                if leak
                else "not proven yet"
                if proof.state in ("not tested", "rehearsal")
                else proof.state.split(" than")[0]
            )
            look = "stop" if leak else "open"
            return TileData(serial or "no serial", said, 0.0 if serial is None else 0.3, look, self._explained())
        if proof.blocks:
            return TileData(serial or "", "proven; held back", 0.8, "warn", self._explained())
        return TileData(serial or "", "ready to hand over", 1.0, "go", self._explained())

    def _explained(self) -> str:
        """What makes a tank ready to hand over, and how far this one is."""
        proof = self.bench.record.proof
        lines = ["Serial number: letters of the maker, year, running number; given with the first record"]
        for t in proof.tests:
            what = t.test.words if t.test is not None else "a tight test"
            said = (
                f"tight, {t.proving.at[:10]} by {t.proving.who}" if t.proving is not None else f"not proven, {t.state}"
            )
            lines.append(f"{what}: {said}")
        lines += [f"Against it: {worded(why, self.bench.units)}" for why in proof.against]
        lines.append("A tank is proven when every test of its plan is tight, on this design, with nothing welded since")
        lines.append("Source: the register")
        return "\n".join(lines)

    def flat(self) -> Picture:
        """Plate and dip chart."""
        b = self.bench
        data = plate_data(b.evaluation, b.record, b.serial)
        return stacked([plate_view(data), dip_chart(b.evaluation, b.units, 120, 92, self.fill.held)], 20)

    def make_card(self) -> Card:
        """Papers first, then the register."""
        b = self.bench
        card = Card(b)
        card.head("Papers", lambda: b.record.proof.headline)
        self.ready = card.add(words(""))
        self.ready.setObjectName("ready")
        self.despite = TextLine()
        self.despite.setObjectName("despite")
        self.despite.setPlaceholderText("why it goes out all the same; printed with your name")
        card.add(self.despite)
        self.own_button = card.add(button("Make this copy a job of its own", "make own", b.make_own))
        card.add(button("Write all papers", "write all papers", self.write_papers, "main"))
        card.add(
            words(
                "Test record with plate and dip chart, traveller, cut list, each blank (sheet, DXF), dip table and stick, figures.",
                "quiet",
            )
        )
        self.fill.make(card)
        self.paper = ShopPaper(b)
        card.head("The shop's paper", self.paper.figure)
        card.add(self.paper)
        self._register_part(card)
        card.row(
            button("Open this tank", "open found", self.open_found),
            check := button("Check the records", "verify", self.verify),
        )
        self.check = check
        self.checked = card.add(words("", "quiet"))
        self.checked.setObjectName("checked")
        self.study = Study(lambda progress: None)
        self.study.done.connect(self._show_check)
        self.key_words = card.add(words("", "quiet"))
        self.key_button = card.add(button("Make the shop's key", "make key", self.make_key))

        def also() -> None:
            proof, proven = b.record.proof, b.record.proven
            lines = [
                f"Proven {proven.at[:10]} by {proven.who}: {worded(proven.payload['reason'], b.units)}."
                if proven
                else f"{proof.headline}. The test record will say so in its head."
            ]
            lines += [f"• {worded(why, b.units)}" for why in proof.against[:MOST_REASONS]]
            if len(proof.against) > MOST_REASONS:
                lines.append(f"and {len(proof.against) - MOST_REASONS} more")
            self.ready.setText("\n".join(lines))
            self.despite.setVisible(bool(proof.against) and proof.overridable)
            self.own_button.setVisible(any(why.endswith(COPY) for why in proof.blocks))
            key = b.register.key
            self.key_button.setVisible(key is None)
            self.key_words.setText(
                f"Papers are signed with the shop's key {key.public[:10]}…; its public half is in {PUBLIC}."
                if key is not None
                else "Papers are not signed. A key of the shop lets their reader check whose they are."
            )
            self.fill.refresh()
            self.search()

        card.on_refresh(also)
        return card.finish()

    def _register_part(self, card: Card) -> None:
        """What is looked for, what was found, and where the tank that is chosen stands."""
        b = self.bench
        card.head("The register", lambda: b.serial or "")
        self.find_words = TextLine()
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
        self.since, self.until = TextLine(), TextLine()
        for edit, name, hint in ((self.since, "since", "from 2026-01-01"), (self.until, "until", "to 2026-12-31")):
            edit.setObjectName(name)
            edit.setPlaceholderText(hint)
            edit.textChanged.connect(lambda _t: self.search())
        card.row(self.since, self.until)
        self.results = QListWidget()
        self.results.setObjectName("found")
        self.results.setWordWrap(True)
        self.results.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.results.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.results.itemActivated.connect(lambda _i: self.open_found())
        self.results.currentRowChanged.connect(lambda _r: self._look_at_found())
        card.add(self.results)
        self.found_state = card.add(words("", "quiet"))
        self.found_state.setObjectName("found state")
        self.looking = Study(lambda progress: None)
        self.looking.done.connect(self._show_found)

    def _chosen_fluid(self) -> str:
        return str(self.fluid.options[max(0, self.fluid.box.currentIndex())][0])

    def search(self) -> None:
        """What the register holds for the words, fluid and dates."""
        fluid = self.fluid.options[max(0, self.fluid.box.currentIndex())][0]
        try:
            found = self.bench.register.find(
                self.find_words.text(), fluid, self.since.text().strip(), self.until.text().strip()
            )
            trouble = ""
        except RegisterError as error:
            found, trouble = (), str(error)
        self.found = found
        self.results.clear()
        if trouble:
            self.results.addItem(trouble)
        for f in found:
            known = fluids().get(f.fluid)
            self.results.addItem(
                f"{f.serial}  {f.name}\n{f.customer}, {known.name.lower() if known else f.fluid}, {f.opened_at[:10]}"
            )
        # The list counts without the room between an item's edge and its words; long names would be cut.
        seen = self.results.viewport()
        room = (seen if seen is not None else self.results).width() - 18
        for k in range(self.results.count()):
            item = self.results.item(k)
            if item is None:
                continue
            flags = Qt.TextFlag.TextWordWrap
            tall = self.results.fontMetrics().boundingRect(QRect(0, 0, room, 10_000), flags, item.text()).height()
            item.setSizeHint(QSize(room, tall + 12))
        tall = 2 * self.results.frameWidth() + 2
        for k in range(self.results.count()):
            item = self.results.item(k)
            if item is None or (k and tall + item.sizeHint().height() > MOST_TALL):
                break
            tall += max(item.sizeHint().height(), self.results.sizeHintForRow(k))
        self.results.setFixedHeight(max(tall, 40))  # whole rows: none is seen half
        if found:
            self.results.setCurrentRow(0)
        if len(found) >= MOST_FOUND:
            self.results.addItem(f"The newest {MOST_FOUND} are listed; more words find the others.")

    def _look_at_found(self) -> None:
        """Have the tank that is chosen judged, by what is on record, in a thread of its own."""
        row = self.results.currentRow()
        self.found_state.setText("")
        if not 0 <= row < len(self.found) or self.looking.running:
            return
        found, bench = self.found[row], self.bench
        if found.uid == bench.job.uid:
            self.found_state.setText(f"{found.serial}: {worded(bench.record.proof.words, bench.units)}")
            return
        register, jobs = bench.register, bench.home / "jobs"

        def look(progress: Callable[[float], bool]) -> str:
            path = next((p for p in job_files(jobs)[0] if _is_of(p, found.uid)), None)
            text = register.document(found.uid, found.revision) if path is None else read_text(path)
            return f"{found.serial}: {record_of(register, evaluate(read_job(text))).proof.words}"

        self._looked_at = found.uid
        self.looking.work = look
        self.looking.run(None)

    def _show_found(self) -> None:
        said = self.looking.trouble or self.looking.result
        self.found_state.setText(worded(str(said), self.bench.units) if said else "")
        row = self.results.currentRow()
        if 0 <= row < len(self.found) and self.found[row].uid != self._looked_at:
            self._look_at_found()  # another was chosen meanwhile

    def open_found(self) -> None:
        """Take the tank in hand: its job file, or the document frozen in the register when the file is gone."""
        row = self.results.currentRow()
        if not 0 <= row < len(self.found):
            return
        found = self.found[row]
        try:
            for path in job_files(self.bench.home / "jobs")[0]:
                if _is_of(path, found.uid):
                    self.bench.open(path)
                    return
            self.bench.start_new(read_job(self.bench.register.document(found.uid, found.revision)))
        except Refusal as error:
            self.bench.said.emit("trouble", brief(str(error)))

    def verify(self) -> None:
        """Prove that no record was changed; a large register takes a while, so from a thread."""
        if self.study.running:
            self.study.stop()
            self._show_check()
            return
        register = self.bench.register
        public = register.key.public if register.key is not None else ""

        def check(progress: Callable[[float], bool]) -> tuple[tuple[Broken, ...], Head, tuple[str, ...]]:
            return register.verify(None, public, lambda: progress(0.5)), register.head(), register.restored

        self.study.work = check
        self.study.run(None)
        self._show_check()

    def _show_check(self) -> None:
        """What the check of the records found."""
        self.check.setText("Stop checking" if self.study.running else "Check the records")
        if self.study.running:
            self.checked.setText("Every record is being held against the one before it…")
        elif self.study.trouble:
            self.checked.setText(f"The records cannot be checked: {self.study.trouble}")
        elif self.study.result is not None:
            broken, head, restored = self.study.result
            if broken:
                first = f"entry {broken[0].entry_id} {broken[0].reason}" if broken[0].entry_id else broken[0].reason
                self.checked.setText(f"THE PAST WAS CHANGED in {len(broken)} places: {first}")
                self.bench.said.emit("trouble", f"The past was changed: {first}")
            else:
                told = [f"Every record follows the one before it unchanged, up to {head.short}."]
                told += [f"A copy was brought back: {words}." for words in restored]
                self.checked.setText("\n".join(told))
        relook(self.checked, "look", "trouble" if self.study.result and self.study.result[0] else "quiet")

    def make_key(self) -> None:
        """Make the shop's key, which signs papers from now on."""
        try:
            key = make_key(self.bench.home)
        except (Refusal, OSError) as error:
            self.bench.said.emit("trouble", str(error))
            return
        self.bench.register.key = key
        self.bench.read_again()
        self.bench.said.emit(
            "note", f"Papers are signed from now on. Keep a copy of {self.bench.home / PRIVATE} under lock"
        )

    def write_papers(self) -> None:
        """All papers; a proven tank's papers are put on record."""
        b = self.bench
        b.read_again()  # the judgement is over all that is on record
        proof, despite = b.record.proof, self.despite.text().strip()
        newest = max((t.entry for t in proof.tests if t.entry is not None), key=lambda x: x.id, default=None)
        why = handover_refusal(proof, despite)
        if not why and newest is not None and b.who.strip():
            said = {"test": newest.id, "hash": newest.hash, "state": proof.state}
            if proof.against:
                said |= {"despite": [str(x) for x in proof.against], "reason": despite}
            if b.add_record("certificate", "test record", said):
                self.despite.clear()
        elif why and despite:
            b.said.emit("trouble", worded(why, b.units))
        e, units, record, serial, on = b.evaluation, b.units, b.record, b.serial, b.stationery

        def write(folder: Path) -> list[Path]:
            from bathyx.papers.export import export_all

            return export_all(e, folder, units, record, serial, on)

        b.write_papers(write)
