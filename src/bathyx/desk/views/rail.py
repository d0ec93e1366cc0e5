"""The findings rail: what Bathyx has to say, worst first, with figure against limit, rule, source and a remedy."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from bathyx.core.findings import Finding
from bathyx.core.units import Family, worded
from bathyx.desk.theme import Theme, scaled, type_of
from bathyx.desk.views.fields import button, words
from bathyx.desk.views.pressed import unless_pressed

HEAD_PX = 44
WORD = {"stop": "STOP", "warn": "LOOK", "note": "NOTE"}


class Flag(QWidget):
    """The severity as a pennant with its word."""

    def __init__(self, severity: str, theme: Theme) -> None:
        super().__init__()
        self.severity, self.theme = severity, theme
        self.setFixedSize(58, 24)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """A pennant."""
        with QPainter(self) as p:
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        from PyQt6.QtCore import QPointF
        from PyQt6.QtGui import QPolygonF

        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(self.theme.colour(self.severity))
        w, h = self.width(), self.height()
        p.drawPolygon(
            QPolygonF([QPointF(0, 2), QPointF(w, 2), QPointF(w - 9, h / 2), QPointF(w, h - 2), QPointF(0, h - 2)])
        )
        p.setPen(self.theme.colour("paper"))
        p.setFont(type_of(8.5, True))
        p.drawText(QRectF(6, 0, w - 14, h), Qt.AlignmentFlag.AlignVCenter, WORD[self.severity])


class FindingRow(QFrame):
    """One finding."""

    def __init__(
        self,
        finding: Finding,
        units: Family,
        theme: Theme,
        apply: Callable[[Finding], None],
        pick: Callable[[Finding], None],
    ) -> None:
        super().__init__()
        self.finding, self._pick = finding, pick
        self.setObjectName(f"finding {finding.code}")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 3, 4, 3)
        row.setSpacing(10)
        row.addWidget(Flag(finding.severity, theme), 0, Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout()
        column.setSpacing(1)
        message = words(worded(finding.message, units))
        message.setStyleSheet("font-weight: bold;" if finding.severity == "stop" else "")
        column.addWidget(message)
        column.addWidget(words(f"Rule: {worded(finding.rule, units)}. Source: {finding.source}", "quiet"))
        row.addLayout(column, 1)
        figure, limit = worded(finding.figure, units), worded(finding.limit, units)
        if figure:
            against = QVBoxLayout()
            against.setSpacing(0)
            top = QLabel(figure)
            top.setTextFormat(Qt.TextFormat.PlainText)
            top.setStyleSheet(scaled("font-weight: bold; font-size: 11.5pt;"))
            under = words(limit, "quiet", wrap=False)
            for label in (top, under):
                label.setAlignment(Qt.AlignmentFlag.AlignRight)
                against.addWidget(label)
            against.addStretch(1)
            row.addLayout(against)
        if finding.remedy is not None:
            side = QVBoxLayout()
            side.setSpacing(0)
            fix = button(worded(finding.remedy.label, units), f"remedy {finding.code}", lambda: apply(finding))
            side.addWidget(fix)
            if finding.remedy.costs:
                side.addWidget(words(worded(finding.remedy.costs, units), "quiet", wrap=False))
            side.addStretch(1)
            row.addLayout(side)

    def mousePressEvent(self, _event: QMouseEvent | None) -> None:
        """Show where it is."""
        self._pick(self.finding)


class Rail(QWidget):
    """All findings, of this stage first within each severity."""

    apply = pyqtSignal(object)
    pick = pyqtSignal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.theme = theme
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 8, 4)
        column.setSpacing(2)
        self.summary = words("", wrap=False)
        self.summary.setObjectName("rail summary")
        self.more = button("", "rail more", self._further, "link")
        head = QHBoxLayout()
        head.addWidget(self.summary, 1)
        head.addWidget(self.more)
        column.addLayout(head)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.area)
        column.addStretch(1)
        bar = self.area.verticalScrollBar()
        assert bar is not None
        self.bar = bar
        self.rows: list[QWidget] = []
        self.bar.valueChanged.connect(lambda _v: self._count())
        self._wanted: tuple[tuple[Finding, ...], Family] = ((), Family.METRIC)
        self._shown: tuple[tuple[Finding, ...], Family] | None = None

    def show_findings(self, findings: tuple[Finding, ...], units: Family) -> None:
        """Replace the rows when there is something new to say; never under a button of the pointer that is down.

        A field that is left by pressing a remedy is taken first and says something new: the row that is being pressed has
        to live until it is let go.
        """
        self._wanted = (findings, units)
        if (findings, units) == self._shown:
            return
        if not unless_pressed(self, lambda: self.show_findings(*self._wanted)):
            return
        self._shown = (findings, units)
        counts = {s: sum(f.severity == s for f in findings) for s in WORD}
        said = [
            f"{counts['stop']} to put right before cutting" if counts["stop"] else "",
            f"{counts['warn']} to look at" if counts["warn"] else "",
            f"{counts['note']} to note" if counts["note"] else "",
        ]
        self.summary.setText("Bathyx says: " + (", ".join(s for s in said if s) or "nothing against it"))
        body = QWidget()
        body.setObjectName("railBody")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 4, 0)
        column.setSpacing(0)
        self.rows = [FindingRow(f, units, self.theme, self.apply.emit, self.pick.emit) for f in findings]
        for made in self.rows:
            column.addWidget(made)
        if not findings:
            column.addWidget(words("It fits, holds what was asked, can be cut and bent, and bears its test.", "good"))
        column.addStretch(1)
        old = self.area.takeWidget()
        self.area.setWidget(body)
        if old is not None:
            old.deleteLater()
        QTimer.singleShot(0, self.snap)

    def empty(self) -> None:
        """Take every row away, to be made again: quicker than to have each dressed anew."""
        self._shown = None
        if not unless_pressed(self, lambda: None):
            return
        old = self.area.takeWidget()
        self.rows = []
        if old is not None:
            old.setParent(None)
            old.deleteLater()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Whole rows at every height."""
        super().resizeEvent(event)
        QTimer.singleShot(0, self.snap)

    def _tops(self) -> list[int]:
        """Where each row begins, and where the last one ends."""
        seen = self.area.viewport()
        width = (seen if seen is not None else self.area).width() - 4
        tops = [0]
        for row in self.rows:
            tall = row.heightForWidth(width) if row.hasHeightForWidth() else row.sizeHint().height()
            tops.append(tops[-1] + max(tall, row.minimumSizeHint().height()))
        return tops

    def snap(self) -> None:
        """Give the list the height of as many whole rows as there is room for, and the rail no more than it can fill."""
        tops = self._tops()
        room = self.height() - HEAD_PX
        whole = max((t for t in tops if t <= room), default=0)
        self.area.setFixedHeight(max(whole, min(room, tops[1] if self.rows else 34), 24))
        self.setMaximumHeight(max(tops[-1] + HEAD_PX + 4, HEAD_PX + 40))
        self._count()

    def _count(self) -> None:
        """Say how many more there are below."""
        end = self.bar.value() + self.area.height()
        below = sum(t >= end - 2 for t in self._tops()[:-1])
        self.more.setVisible(below > 0)
        self.more.setText(f"{below} more below ▾")

    def _further(self) -> None:
        ahead = [t for t in self._tops() if t > self.bar.value()]
        self.bar.setValue(ahead[0] if ahead else 0)
