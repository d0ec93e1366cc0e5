"""What stands until it is over: not saved, two versions of a file, a server that is away, a fault."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QGuiApplication

from bathyx.core.proving.judgement import COPY
from bathyx.desk.bench import Bench
from bathyx.desk.faults import SAFE, Fault
from bathyx.desk.views.notices import Notices
from bathyx.register.bench.served import ServedRegister

if TYPE_CHECKING:
    from bathyx.desk.views.trouble_page import TroublePage

LOOK_MS, COPY_LOOK_MS = 3000, 3_600_000


class Standing(QObject):
    """Keeps the notices of one bench true."""

    copied = pyqtSignal(str)  # what came of a copy on another disk, from the thread that made it
    served = pyqtSignal()  # from whatever thread noticed that the server went or came

    def __init__(self, bench: Bench, notices: Notices, show_versions: Callable[[], None], parent: QObject) -> None:
        super().__init__(parent)
        self.bench, self.notices, self._show_versions = bench, notices, show_versions
        bench.file_changed.connect(self.show_file)
        bench.recorded.connect(self.show_owner)
        if isinstance(bench.register, ServedRegister):
            self.served.connect(self.show_served)
            bench.register.on_change = self.served.emit
            self.show_served()
        self.show_file()
        self.looking = QTimer(self)
        self.looking.timeout.connect(self.look_round)
        self.looking.start(LOOK_MS)
        self.last_copied = ""
        self.copied.connect(self.show_copied)
        self.copying = QTimer(self)
        self.copying.timeout.connect(self.copy_elsewhere)
        self.copying.start(COPY_LOOK_MS)

    def _near(self, said: object) -> str:
        """Words with places in the home named from there."""
        return str(said).replace(f"{self.bench.home}/", "")

    def fault(self, fault: Fault) -> None:
        """Say that something went wrong here, what is safe, and give the whole of it to copy."""
        times = f" ({fault.times} times)" if fault.times > 1 else ""
        log = f" It is logged in {fault.log}." if fault.log else ""

        def copy() -> None:
            board = QGuiApplication.clipboard()
            if board is not None:
                board.setText(fault.whole)

        ways = (
            ("Copy it whole", "copy fault", copy),
            ("Put away", "put fault away", lambda: self.notices.drop("fault")),
        )
        self.notices.put("fault", "stop", f"A fault of Bathyx, not yours{times}: {fault.line}. {SAFE}{log}", ways)

    def home(self, trouble: str, choose: Callable[[], None]) -> None:
        """The home cannot be written: nothing is kept in it."""
        ways = (("Choose another folder", "choose another home", choose),)
        self.notices.put("home", "warn", f"{trouble}. You can look and design; nothing is kept.", ways)

    def copy_elsewhere(self, *, now: bool = False) -> None:
        """Copy the shop to the other disk, where one is said and a copy is due."""
        from bathyx.desk.opening import copy_on_schedule

        copy_on_schedule(self.bench, self.copied.emit, now=now)

    def show_copied(self, said: str) -> None:
        """A copy that could not be made stands until one is."""
        self.last_copied = said
        if not said.startswith("no copy"):
            self.notices.drop("elsewhere")
            return
        ways = (
            ("Try again", "copy elsewhere again", lambda: self.copy_elsewhere(now=True)),
            ("Put away", "put elsewhere away", lambda: self.notices.drop("elsewhere")),
        )
        self.notices.put("elsewhere", "warn", f"The shop was not copied to the other disk: {said[9:]}", ways)

    def own_tables(self, wrong: list[str]) -> None:
        """Rows of the shop's own tables that were left out."""
        more = f", and {len(wrong) - 1} more: `bathyx tables` lists them" if len(wrong) > 1 else ""
        ways = (("Put away", "put tables away", lambda: self.notices.drop("tables")),)
        self.notices.put("tables", "warn", f"Left out of the shop's own tables: {wrong[0]}{more}", ways)

    def without_records(self, why: str) -> None:
        """The register could not be opened, and the work goes on without it."""
        self.notices.put("records", "warn", f"Working without records: {why}")

    def show_file(self) -> None:
        """What stands between the job in hand and its file."""
        b = self.bench
        if b.unsaved:
            text = f"NOT SAVED: {self._near(b.unsaved)}. What you do is only in this window."
            ways = (("Save now", "save now", b.save), ("Give it up", "give unsaved up", b.give_up))
            self.notices.put("unsaved", "stop", text, ways)
        else:
            self.notices.drop("unsaved")
        look = ("Look at both", "look at both", self._show_versions)
        if b.apart is not None:
            text = f"{self._name} is {b.apart_why}. Your version is kept apart, in {self._near(b.apart)}."
            self.notices.put("versions", "warn", text, (look,))
        elif b.file is not None and b.file.holder is not None:
            text = f"{self._name} is in hand by {b.file.holder.words}. What you change is kept apart from its file."
            self.notices.put("versions", "note", text, (("Try again", "take in hand", b.look_at_file),))
        elif b.changed_under:
            text = f"{self._name} was changed by another since you opened it; yours is as it was when it was read."
            self.notices.put("versions", "warn", text, (("Take theirs", "take theirs", b.take_theirs), look))
        else:
            self.notices.drop("versions")

    def show_owner(self) -> None:
        """A job whose serial and records are another customer's: a copy that was never made a job of its own."""
        other = [why for why in self.bench.record.proof.blocks if why.endswith(COPY)]
        if other:
            ways = (("Make it a job of its own", "make copy own", self.bench.make_own),)
            self.notices.put("copy", "warn", f"{other[0][:1].upper()}{other[0][1:]}.", ways)
        else:
            self.notices.drop("copy")

    @property
    def _name(self) -> str:
        return self.bench.path.name if self.bench.path is not None else "The job"

    def ask_to_lose(self, lose: Callable[[], None]) -> None:
        """The window shall close, and what is in it is not saved."""
        text = (
            f"NOT SAVED: {self._near(self.bench.unsaved)}. Closing now would lose what you did since it was last saved."
        )
        ways = (("Save now", "save now", self.bench.save), ("Close and lose it", "close and lose", lose))
        self.notices.put("unsaved", "stop", text, ways)

    def show_served(self) -> None:
        """Whether the register's server is there, and what waits here for it."""
        register = self.bench.register
        if not isinstance(register, ServedRegister):
            return
        if register.away:
            waits = register.waiting
            kept = f"Kept here until the server is back: {waits} of your records. " if waits else ""
            self.notices.put("server", "warn", f"The register's server cannot be reached. {kept}Go on working.")
        elif self.notices.text_of("server"):
            self.notices.drop("server")
            self.bench.said.emit("note", "The register's server is back; what was kept here is handed in")
            self.bench.read_again()
        for said in register.refused:
            text = f"A record kept here was not taken by the server and stands there as a note: {said}"
            self.notices.put("refused", "warn", text, (("Put away", "put refused away", self._put_refused_away),))

    def _put_refused_away(self) -> None:
        if isinstance(self.bench.register, ServedRegister):
            self.bench.register.refused.clear()
        self.notices.drop("refused")

    def look_round(self) -> None:
        """Now and then: has another touched the file, or added records?"""
        self.bench.look_at_file()
        if self.bench.changed_under:
            self.show_file()
        self.show_owner()
        self.bench.look_at_records()

    def stop(self) -> None:
        """Look no more."""
        self.looking.stop()


def page_of_another_home(back: Callable[[], None], use: Callable[[Path], None]) -> TroublePage:
    """The page where another folder can be named."""
    from bathyx.desk.views.trouble_page import TroublePage

    ways = [("Back", "back to the bench", back)]
    return TroublePage("Another folder", "Name the folder that jobs and records shall be kept in.", ways, use)
