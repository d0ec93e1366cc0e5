"""What belongs to the shop and to this desk, on one page, each with an example of what it does."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from bathyx.core.units import show
from bathyx.desk.bench import Bench
from bathyx.desk.folders import open_folder
from bathyx.desk.stages.handover.shop_paper import ShopPaper
from bathyx.desk.standing import Standing
from bathyx.desk.theme import TEXT_SIZES, text_size
from bathyx.desk.views.fields import Choice, button, setting_line, words
from bathyx.files.own_tables import begin_own, folder_of, looked_over, own_rows

LIGHTS = [("as set", "as it is set here"), ("desktop", "as the desktop has it")]
EXAMPLE_MM, EXAMPLE_L, EXAMPLE_KPA = 671.0, 75.0, 21.0


def _named(label: str, line: QWidget) -> QHBoxLayout:
    row = QHBoxLayout()
    row.addWidget(words(label), 3)
    row.addWidget(line, 8)
    return row


class SettingsPage(QWidget):
    """Units, light, type, who, money, paper, and where everything lives."""

    left = pyqtSignal()

    def __init__(
        self,
        bench: Bench,
        standing: Standing,
        turn_theme: Callable[[], None],
        turn_text: Callable[[], None],
        follow: Callable[[], None],
    ) -> None:
        """The page.

        Args:
            bench: with its settings.
            standing: makes copies on another disk, and says how they went.
            turn_theme: light or dark.
            turn_text: the next size of type.
            follow: take the desktop's light, where it is to be followed.
        """
        super().__init__()
        self.bench, self._standing, self._follow, self._text = bench, standing, follow, turn_text
        standing.copied.connect(self._show_copied)
        self.setObjectName("settings page")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(60, 24, 60, 16)
        head = QHBoxLayout()
        head.addWidget(words("Settings of the shop and of this desk", "head"), 1)
        head.addWidget(button("Back to the desk", "leave settings", self.left.emit, "main"))
        outer.addLayout(head)
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setHorizontalSpacing(48)
        grid.setVerticalSpacing(7)
        left, right = QVBoxLayout(), QVBoxLayout()
        for k, column in enumerate((left, right)):
            column.setSpacing(7)
            grid.addLayout(column, 0, k)
            grid.setColumnStretch(k, 1)
        b = bench
        left.addWidget(words("Units", "head"))
        self.units = Choice(
            b, "Looked at in", "units", [("metric", "millimetres, litres, kPa"), ("us", "inches, US gallons, psi")],
            take=self._take_units, read=lambda: "us" if b.units.us else "metric",
        )  # fmt: skip
        left.addWidget(self.units)
        self.units_example = words("", "quiet")
        left.addWidget(self.units_example)
        left.addWidget(words("How it looks", "head"))
        row = QHBoxLayout()
        self.theme = button("Light or dark: Ctrl+D", "settings theme", turn_theme)
        self.text = button("Larger or smaller type: Ctrl+T", "settings text", self._turn_text)
        row.addWidget(self.theme)
        row.addWidget(self.text)
        left.addLayout(row)
        self.light = Choice(
            b, "Light or dark", "light", LIGHTS, take=self._take_light, read=lambda: b.settings["light"]
        )
        left.addWidget(self.light)
        self.look_example = words("", "quiet")
        left.addWidget(self.look_example)
        left.addWidget(words("Who works here", "head"))
        left.addLayout(_named("Name", setting_line(b, "who", "as it stands under welds and tests", self._take_who)))
        left.addWidget(words("It is put under every record; another can be typed at each test.", "quiet"))
        left.addWidget(words("Money and minutes", "head"))
        left.addLayout(_named("Currency", setting_line(b, "currency", "like €", self.refresh)))
        rates = setting_line(b, "rates", "weld_min_m=18 bend_min=4 hour=55 markup=15", self.refresh)
        left.addLayout(_named("Rates", rates))
        self.money_example = words("", "quiet")
        left.addWidget(self.money_example)
        self._own(left)
        left.addStretch(1)
        self._right(right)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        inside.setObjectName("settings inside")
        area.setStyleSheet(
            "QScrollArea, #qt_scrollarea_viewport, QWidget[objectName='settings inside'] { background: transparent; }"
        )
        area.setWidget(inside)
        outer.addWidget(area, 1)

    def _own(self, left: QVBoxLayout) -> None:
        """The shop's own rows of tables."""
        left.addWidget(words("The shop's own sheets, fluids, fittings, punches", "head"))
        self.own = words("")
        left.addWidget(self.own)
        row = QHBoxLayout()
        row.addWidget(button("Open their folder", "open tables", self._open_tables))
        row.addWidget(button("Look them over", "look tables over", self._look_over))
        row.addStretch(1)
        left.addLayout(row)

    def _right(self, right: QVBoxLayout) -> None:
        """Paper, and where everything lives."""
        b = self.bench
        right.addWidget(words("Paper", "head"))
        self.paper = ShopPaper(b)
        right.addWidget(self.paper)
        right.addWidget(words("Address and mark stand on each page; a mark is a PNG or JPEG.", "quiet"))
        right.addWidget(words("Where everything lives", "head"))
        self.where = words("")
        self.where.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        right.addWidget(self.where)
        right.addWidget(button("Open this folder", "open home", self._open_home), 0, Qt.AlignmentFlag.AlignLeft)
        right.addWidget(words("A copy on another disk", "head"))
        right.addLayout(_named("Folder there", setting_line(b, "copies_to", "like /media/stick", self._take_copies)))
        self.copies_days = Choice(
            b, "Made", "copies_days", [(1, "each day"), (7, "each week"), (30, "each month")],
            take=self._take_days, read=lambda: int(b.settings["copies_days"]),
        )  # fmt: skip
        right.addWidget(self.copies_days)
        self.copies_said = words("", "quiet")
        right.addWidget(self.copies_said)
        now = button("Copy now", "copy elsewhere", self._copy_now)
        right.addWidget(now, 0, Qt.AlignmentFlag.AlignLeft)
        right.addStretch(1)

    def refresh(self) -> None:
        """Show what is set, and what it makes of an example."""
        b = self.bench
        for part in (self.units, self.light, self.paper, self.copies_days):
            part.refresh()
        figures = (
            show(EXAMPLE_MM, "length", b.units),
            show(EXAMPLE_L, "volume", b.units),
            show(EXAMPLE_KPA, "pressure", b.units),
        )
        self.units_example.setText(
            f"{figures[0]} holds {figures[1]} at {figures[2]}. A bare number is typed in these; any unit may be written behind it."
        )
        hints = QGuiApplication.styleHints()
        scheme = hints.colorScheme() if hints is not None else Qt.ColorScheme.Unknown
        said = {Qt.ColorScheme.Dark: "dark", Qt.ColorScheme.Light: "light"}.get(scheme, "not said")
        sizes = ", ".join(f"{size:g}" for size in TEXT_SIZES)
        self.look_example.setText(f"The desktop's light: {said}. Type is {text_size():g} of {sizes} times the usual.")
        self.money_example.setText(self._money())
        self._show_copied(self._standing.last_copied)
        held = "; ".join(f"{name}: {', '.join(keys)}" for name, keys in own_rows().items())
        self.own.setText(
            f"Rows of the shop's own: {held or 'none'}. They are files in tables/: a price, a sheet, a fluid, a fitting or a size "
            "of thread more, each with its source. They are read when Bathyx starts."
        )
        self.where.setText(
            f"{b.home}\n  jobs: a file each, in jobs/\n  welds and tests: register.sqlite, which is only added to\n"
            "  a copy of it for each day: copies/\n  these settings: desk.json"
        )

    def _money(self) -> str:
        from bathyx.desk.stages.build.costs import own_rates

        rates, markup, booked, wrong = own_rates(self.bench)
        if wrong:
            return wrong
        sign = str(self.bench.settings["currency"])
        ten = 10 * rates.weld_min_m / 60
        by = f", corrected by {booked} booked steps" if booked else ""
        metres = show(10_000.0, "weld", self.bench.units)
        return f"{metres} of weld take {ten:.1f} h{by}: {ten * rates.hour * (1 + markup):.0f} {sign}".rstrip()

    def _turn_text(self) -> None:
        self._text()
        self.refresh()

    def _take_units(self, key: str) -> None:
        if (key == "us") != self.bench.units.us:
            self.bench.turn_units()
        self.refresh()

    def _take_light(self, key: str) -> None:
        self.bench.settings.keep("light", key)
        self._follow()
        self.refresh()

    def _take_who(self) -> None:
        self.bench.who = str(self.bench.settings["who"])

    def _take_copies(self) -> None:
        self._standing.last_copied = ""
        self._standing.copy_elsewhere()
        self.refresh()

    def _take_days(self, days: int) -> None:
        self.bench.settings.keep("copies_days", days)
        self._standing.copy_elsewhere()

    def _copy_now(self) -> None:
        if not self.bench.settings["copies_to"]:
            self._show_copied("no copy: type the folder on the other disk first")
        self._standing.copy_elsewhere(now=True)

    def _show_copied(self, said: str) -> None:
        usual = "Register, jobs and tables, in a folder for each day, read back; the key that signs records stays here."
        self.copies_said.setText(said[:1].upper() + said[1:] if said else usual)

    def _open_tables(self) -> None:
        folder = folder_of(self.bench.home)
        try:
            begin_own(folder)
        except OSError as error:
            self.bench.said.emit("trouble", f"{folder} cannot be written: {error.strerror or error}")
            return
        if not open_folder(folder):
            self.bench.said.emit("trouble", f"No program here opens folders; it is {folder}")

    def _look_over(self) -> None:
        """Say what is wrong with the files as they are now, and what will hold from the next start on."""
        found, wrong = looked_over(folder_of(self.bench.home))
        held = "; ".join(f"{name}: {', '.join(keys)}" for name, keys in found.items()) or "no row"
        left = f" Left out: {'; '.join(wrong[:3])}" + (f"; and {len(wrong) - 3} more" if len(wrong) > 3 else "")
        self.own.setText(f"From the next start on: {held}.{left if wrong else ' Nothing is wrong with them.'}")

    def _open_home(self) -> None:
        if not open_folder(self.bench.home):
            self.bench.said.emit("trouble", f"No program here opens folders; it is {self.bench.home}")
