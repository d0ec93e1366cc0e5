"""The findings rail: the worst of what Bathyx has to say on a line, and all of it, with rule and source, when it is opened."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QEnterEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QGraphicsOpacityEffect,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from bathyx.core.findings import Finding
from bathyx.core.units import Family, worded
from bathyx.desk.theme import Theme, scaled, tip, type_of
from bathyx.desk.views.fields import button, relook, words
from bathyx.desk.views.pressed import unless_pressed

LINE_PX, MOST_ROWS_PX, PALE = 44, 420, 0.45
WORD = {"stop": "STOP", "warn": "LOOK", "note": "NOTE"}
GOOD = "It fits, holds what was asked, can be cut and bent, and bears its test."


class Flag(QWidget):
    """The severity as a pennant with its word."""

    def __init__(self, severity: str, theme: Theme) -> None:
        super().__init__()
        self.severity, self.theme = severity, theme
        self.setFixedSize(58, 24)

    def show_severity(self, severity: str) -> None:
        """Another one."""
        self.severity = severity
        self.setAccessibleName(WORD[severity])
        self.update()

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


class Line(QLabel):
    """Words on one line, cut with an ellipsis where they are longer; the whole in the hint."""

    def __init__(self) -> None:
        super().__init__("")
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.whole = ""

    def say(self, text: str) -> None:
        """Show other words."""
        self.whole = text
        self.setToolTip(tip(text))
        self.setAccessibleName(text)
        self._fit()

    def minimumSizeHint(self) -> QSize:
        """As narrow as need be."""
        return QSize(60, super().minimumSizeHint().height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Cut anew."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        self.setText(self.fontMetrics().elidedText(self.whole, Qt.TextElideMode.ElideRight, max(self.width(), 60)))


class FindingRow(QFrame):
    """One finding on a line: its flag, what it is, its figure against its limit, its remedy; rule and source when asked for."""

    def __init__(
        self,
        finding: Finding,
        units: Family,
        theme: Theme,
        apply: Callable[[Finding], None],
        pick: Callable[[Finding], None],
        point: Callable[[Finding | None], None],
    ) -> None:
        super().__init__()
        self.finding, self._pick, self._point = finding, pick, point
        self.setObjectName(f"finding {finding.code}")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 3, 4, 3)
        column.setSpacing(1)
        row = QHBoxLayout()
        row.setSpacing(10)
        row.addWidget(Flag(finding.severity, theme))
        message = Line()
        message.setStyleSheet("font-weight: bold;" if finding.severity == "stop" else "")
        message.say(worded(finding.message, units))
        row.addWidget(message, 1)
        figure, limit = worded(finding.figure, units), worded(finding.limit, units)
        if figure:
            top = QLabel(figure)
            top.setTextFormat(Qt.TextFormat.PlainText)
            top.setStyleSheet(scaled("font-weight: bold; font-size: 11.5pt;"))
            row.addWidget(top)
            row.addWidget(words(limit, "quiet", wrap=False))
        if finding.remedy is not None:
            fix = button(worded(finding.remedy.label, units), f"remedy {finding.code}", lambda: apply(finding))
            if finding.remedy.costs:
                fix.setToolTip(tip(worded(finding.remedy.costs, units)))
            row.addWidget(fix)
        self.why = button("why", f"why {finding.code}", self._turn, "link")
        row.addWidget(self.why)
        column.addLayout(row)
        costs = (
            f" {worded(finding.remedy.costs, units)}." if finding.remedy is not None and finding.remedy.costs else ""
        )
        self.rule = words(
            f"{worded(finding.message, units)}.{costs} Rule: {worded(finding.rule, units)}. Source: {finding.source}",
            "quiet",
        )
        self.rule.setContentsMargins(68, 0, 0, 4)
        self.rule.hide()
        column.addWidget(self.rule)

    def _turn(self) -> None:
        self.rule.setVisible(self.rule.isHidden())
        self.why.setText("less" if self.rule.isVisibleTo(self) else "why")

    def mousePressEvent(self, _event: QMouseEvent | None) -> None:
        """Show where it is."""
        self._pick(self.finding)

    def enterEvent(self, _event: QEnterEvent | None) -> None:
        """Pointed at: its place is lit."""
        self._point(self.finding)

    def leaveEvent(self, _event: QEvent | None) -> None:
        """Pointed away."""
        self._point(None)


class Rail(QWidget):
    """The worst finding on a line, with its remedy and how many more; opened, the list of all over the foot of the drawing."""

    apply = pyqtSignal(object)
    pick = pyqtSignal(object)
    resized = pyqtSignal()
    pointed = pyqtSignal(object)
    right = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("what Bathyx says")
        self.theme = theme
        self.open = False
        self.rows: list[QWidget] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 0, 8, 0)
        column.setSpacing(0)
        self.summary = ""
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.hide()
        column.addWidget(self.area, 1)
        self.line = QWidget()
        self.line.setFixedHeight(LINE_PX)
        self.line.setCursor(Qt.CursorShape.PointingHandCursor)
        row = QHBoxLayout(self.line)
        row.setContentsMargins(0, 2, 0, 2)
        row.setSpacing(10)
        self.flag = Flag("note", theme)
        self.worst = Line()
        self.worst.setObjectName("rail worst")
        self.figure = QLabel("")
        self.figure.setTextFormat(Qt.TextFormat.PlainText)
        self.fix = button("", "remedy", self._fix)
        self.all = button("Put right", "put right", self.right.emit, "main")
        self.all.setToolTip("Every remedy that is needed until no stop is left, as one step to be undone")
        self.more = button("", "rail more", self.turn, "link")
        row.addWidget(self.flag)
        row.addWidget(self.worst, 1)
        for widget in (self.figure, self.fix, self.all, self.more):
            row.addWidget(widget)
        column.addWidget(self.line)
        self.effect = QGraphicsOpacityEffect(self.worst)
        self.effect.setOpacity(PALE)
        self.effect.setEnabled(False)
        self.worst.setGraphicsEffect(self.effect)
        self._wanted: tuple[tuple[Finding, ...], Family] = ((), Family.METRIC)
        self._shown: tuple[tuple[Finding, ...], Family] | None = None

    def turn_pale(self, pale: bool) -> None:
        """Pale while what it says belongs to another edit."""
        if pale != self.effect.isEnabled():
            self.effect.setEnabled(pale)

    @property
    def wants_px(self) -> int:
        """How tall it wants to be."""
        if not self.open:
            return LINE_PX
        body = self.area.widget()
        rows = body.sizeHint().height() if body is not None else 0
        return LINE_PX + min(rows + 10, MOST_ROWS_PX)

    def turn(self) -> None:
        """Open the list, or close it."""
        self.open = not self.open
        self.area.setVisible(self.open)
        self._fill()
        self._say_worst()
        self.resized.emit()

    def show_findings(self, findings: tuple[Finding, ...], units: Family) -> None:
        """Say something new when there is something new to say; never under a button of the pointer that is down.

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
        self.summary = "Bathyx says: " + (", ".join(s for s in said if s) or "nothing against it")
        self._say_worst()
        self._fill()
        if self.open:
            self.resized.emit()

    def _say_worst(self) -> None:
        """The line: the worst and its remedy, or how many there are while the list is open."""
        findings, units = self._shown or ((), Family.METRIC)
        worst = findings[0] if findings and not self.open else None
        self.flag.setVisible(worst is not None)
        if worst is not None:
            self.flag.show_severity(worst.severity)
        self.worst.setStyleSheet("font-weight: bold;" if worst is not None and worst.severity == "stop" else "")
        self.worst.say(worded(worst.message, units) if worst is not None else self.summary if findings else GOOD)
        self.figure.setStyleSheet(scaled("font-weight: bold; font-size: 11.5pt;"))
        self.figure.setText(worded(worst.figure, units) if worst is not None else "")
        remedy = worst.remedy if worst is not None else None
        if remedy is None and self.fix.hasFocus():
            self.setFocus()  # what had the focus goes: it stays with what Bathyx says
        self.fix.setVisible(remedy is not None)
        self.all.setVisible(sum(f.severity == "stop" for f in findings) > 1)
        if remedy is not None and worst is not None:
            self.fix.setObjectName(f"remedy {worst.code}")
            self.fix.setText(worded(remedy.label, units))
            self.fix.setAccessibleName(worded(remedy.label, units))
            self.fix.setToolTip(tip(worded(remedy.costs, units)) if remedy.costs else "")
        self._count()

    def _fill(self) -> None:
        """The rows, where the list is open."""
        findings, units = self._shown or ((), Family.METRIC)
        focused = self.area.isAncestorOf(QApplication.focusWidget()) if QApplication.focusWidget() else False
        old = self.area.takeWidget()
        self.rows = []
        if self.open:
            body = QWidget()
            body.setObjectName("railBody")
            column = QVBoxLayout(body)
            column.setContentsMargins(0, 0, 4, 0)
            column.setSpacing(0)
            self.rows = [
                FindingRow(f, units, self.theme, self.apply.emit, self.pick.emit, self.pointed.emit) for f in findings
            ]
            for made in self.rows:
                column.addWidget(made)
            if not findings:
                column.addWidget(words(GOOD, "good"))
            column.addStretch(1)
            self.area.setWidget(body)
        if focused:
            self.setFocus()
        if old is not None:
            old.deleteLater()

    def mark(self, number: int) -> None:
        """Light the row of a finding whose flag is pointed at; none with −1."""
        for k, row in enumerate(self.rows):
            relook(row, "pointed", "true" if k == number else "false")
        if 0 <= number < len(self.rows):
            self.area.ensureWidgetVisible(self.rows[number])

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

    def _fix(self) -> None:
        findings, _ = self._shown or ((), None)
        if findings and findings[0].remedy is not None:
            self.apply.emit(findings[0])

    def _count(self) -> None:
        """Say how many more there are."""
        findings, _ = self._shown or ((), None)
        more = len(findings) - 1
        self.more.setText("close ▾" if self.open else f"{more} more ▴" if more > 0 else "why ▴")
        self.more.setVisible(bool(findings))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Show where the worst is."""
        assert event is not None
        findings, _ = self._shown or ((), None)
        if findings and self.line.geometry().contains(event.position().toPoint()):
            self.pick.emit(findings[0])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter opens the list, Escape closes it."""
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) or (event.key() == Qt.Key.Key_Escape and self.open):
            self.turn()
        else:
            super().keyPressEvent(event)
