"""The drawing: paints a Picture to scale, finds what the pointer is on, and lets a dimension be typed where it stands.

Wheel or +/- zooms, the right button pans, 0 fits again. Tab goes from one live dimension to the next, Enter types.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPainterPathStroker,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QLabel, QToolTip, QWidget

from bathyx.desk.theme import Theme, text_size, type_of
from bathyx.desk.views.plain import TextLine
from bathyx.draft.picture import Circle, Dim, Item, Label, Picture, Poly

GRIP_PX = 7.0
PX_PER_LETTER = 9.0
SQUARES, TRACE_PX = 12, 6.0
INSET_ROOM_PX, CLICK_PX, LEADER_PX = 12.0, 4.0, 26.0
UNDER_PX, MOST_UNDER_PX, LIT_MORE, POLE_PX = 12.0, 120.0, 1.5, 22.0
MARKS = {"stop": "!", "warn": "?", "note": "i"}
CTRL = Qt.KeyboardModifier.ControlModifier
STEP_MM = {(False, False): 1.0, (True, False): 5.0, (False, True): 25.0, (True, True): 25.0}  # by Shift and Ctrl
ARROWS = {
    int(Qt.Key.Key_Left): (-1, 0), int(Qt.Key.Key_Right): (1, 0), int(Qt.Key.Key_Up): (0, 1), int(Qt.Key.Key_Down): (0, -1),
}  # fmt: skip
ASKED = {int(Qt.Key.Key_Delete): "out", int(Qt.Key.Key_Insert): "copy", int(Qt.Key.Key_M): "mirror"}


def _rank(item: Label | Dim) -> int:
    """What has the first right to its place: figures that can be typed on, then dimensions, then marks, then words."""
    live = item.tag.startswith("edit:")
    if isinstance(item, Dim):
        return 0 if live else 2
    return 1 if live else 3 if item.badge or item.bold else 4


@dataclass(frozen=True)
class PlacedFlag:
    """A finding at its place: its number in the list, the tag of the place, its severity, its words."""

    number: int
    where: str
    severity: str
    words: str


class Canvas(QWidget):
    """A picture with live dimensions."""

    picked = pyqtSignal(str, float)
    typed = pyqtSignal(str, str)
    dragged = pyqtSignal(str, float, float, bool)
    wanted = pyqtSignal()
    hung = pyqtSignal(float, float)
    dropped = pyqtSignal()
    gave_up = pyqtSignal()
    nudged = pyqtSignal(float, float)
    asked = pyqtSignal(str)
    pointed_at = pyqtSignal(str)
    menu_wanted = pyqtSignal(QPoint)

    def __init__(self, theme: Theme, name: str) -> None:
        super().__init__()
        self.setObjectName(name)
        self.theme = theme
        self.picture = Picture(())
        self.empty_words = ""
        self.lit = ""
        self.draggable: tuple[str, ...] = ()
        self.describe: Callable[[str], str] = lambda _tag: ""
        self.room_px = 54.0
        self.quiet = False  # an inset: no words, and a click asks for it to be the large one
        self.frameless = False
        self.right_room, self.foot_room = 0.0, 0.0  # kept free for an inset and for what stands along the foot, px
        self.left_room = 0.0  # and for the tray
        self._traces: tuple[object, tuple[np.ndarray, list[QRectF]]] | None = None
        self.keep_off = QRectF()  # where an inset lies: no word is pushed under it
        self.hanging = False  # a part of the tray hangs at the pointer
        self.flags: tuple[PlacedFlag, ...] = ()  # what is found, each at its place
        self.pointed = ""  # a place that a finding in the list points at
        self._under_pointer = ""
        self.over = Picture(())  # drawn over the picture: what hangs, or what is being placed
        self._beside, self._under = 0.0, 0.0
        self._zoom, self._pan = 1.0, QPointF(0, 0)
        self._spots: list[tuple[str, Poly | Circle | QRectF]] = []  # what can be hit, and where it is
        self._hit_paths: list[tuple[str, QPainterPath]] | None = None
        self._drawn: QPixmap | None = None
        self._drawn_for: tuple[object, ...] = ()
        self._base: tuple[list[tuple[Dim, QRectF]], list[QRectF], list[tuple[str, Poly | Circle | QRectF]]] = (
            [],
            [],
            [],
        )
        self._dims: list[tuple[Dim, QRectF]] = []
        self._boxes: list[QRectF] = []
        self._focus_dim = -1
        self._grabbed = ""
        self._pressed: QPointF | None = None
        self._down = QPointF(0, 0)
        self._panning: QPointF | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(220, 160)
        self.editor = TextLine(self)
        self.editor.setObjectName(f"{name} editor")
        self.editor.hide()
        self.editor.installEventFilter(self)
        self.trouble = QLabel(self)
        self.trouble.setTextFormat(Qt.TextFormat.PlainText)
        self.trouble.setProperty("look", "trouble")
        self.trouble.setAutoFillBackground(True)
        self.trouble.hide()
        self._editing = ""

    def show_picture(self, picture: Picture, lit: str = "") -> None:
        """Paint another picture; zoom and pan stay."""
        self.picture, self.lit = picture, lit
        upright = [d for d in picture.items if isinstance(d, Dim) and abs(d.p[0] - d.q[0]) < abs(d.p[1] - d.q[1])]
        self._beside = max((d.offset + PX_PER_LETTER * len(d.text) + 20 for d in upright), default=0.0)
        under = (-i.shift[1] + UNDER_PX for i in picture.items if isinstance(i, Label) and i.shift[1] < 0)
        self._under = min(max(under, default=0.0), MOST_UNDER_PX)
        self.update()

    def show_over(self, picture: Picture) -> None:
        """Paint something over the picture: what hangs at the pointer."""
        self.over = picture
        self.update()

    def refit(self) -> None:
        """Whole picture in view."""
        self._zoom, self._pan = 1.0, QPointF(0, 0)
        self.update()

    # -- places ---------------------------------------------------------------------------------------------------

    @property
    def scale(self) -> float:
        """Screen points per millimetre."""
        left, bottom, right, top = self.picture.bounds
        wide = self.width() - self.right_room - self.left_room
        beside = min(max(self.room_px, self._beside), 0.3 * wide)
        tall = self.height() - self.foot_room
        over, under = self._over_under
        if self.quiet:
            beside = INSET_ROOM_PX
        across = (wide - 2 * beside) / max(right - left, 1e-9)
        up = (tall - over - under) / max(top - bottom, 1e-9)
        return max(min(across, up), 1e-6) * self._zoom

    @property
    def _over_under(self) -> tuple[float, float]:
        """Room over and under the drawing, px: for dimensions, and for words that hang below it."""
        if self.quiet:
            return INSET_ROOM_PX, INSET_ROOM_PX
        most = 0.2 * (self.height() - self.foot_room)
        return min(self.room_px, most), min(max(self.room_px, self._under), most)

    @property
    def _level_px(self) -> float:
        """Half way up what is kept for the drawing."""
        over, under = self._over_under
        return (over + self.height() - self.foot_room - under) / 2

    @property
    def _middle_px(self) -> float:
        """The middle between what stands at the left and at the right."""
        return (self.left_room + self.width() - self.right_room) / 2

    def to_screen(self, p: np.ndarray) -> QPointF:
        """Where a point of the picture is on the widget."""
        left, bottom, right, top = self.picture.bounds
        s = self.scale
        return QPointF(
            self._middle_px + (float(p[0]) - (left + right) / 2) * s + self._pan.x(),
            self._level_px - (float(p[1]) - (bottom + top) / 2) * s + self._pan.y(),
        )

    def to_picture(self, spot: QPointF) -> tuple[float, float]:
        """Where a place on the widget is in the picture, mm."""
        left, bottom, right, top = self.picture.bounds
        s = self.scale
        return (
            (spot.x() - self._pan.x() - self._middle_px) / s + (left + right) / 2,
            -(spot.y() - self._pan.y() - self._level_px) / s + (bottom + top) / 2,
        )

    def width_wanted(self, height: float) -> float:
        """The width, px, that the picture takes at a height."""
        left, bottom, right, top = self.picture.bounds
        return (right - left) / max(top - bottom, 1e-6) * (height - 2 * self.room_px) + 3.2 * self.room_px

    def covered(self, place: QRectF) -> float:
        """The share of a place, px, that lines of the picture lie in, counted in small squares; all of it where it hides a word."""
        spots, words = self._where_drawn()
        room = place.adjusted(-6, -6, 6, 6)
        if any(word.intersects(room) for word in words):
            return 1.0
        low, step = np.array([place.left(), place.top()]), np.array([place.width(), place.height()]) / SQUARES
        at = np.floor((spots - low) / step).astype(int)
        at = at[((at >= 0) & (at < SQUARES)).all(axis=1)]
        return len(np.unique(at, axis=0)) / SQUARES**2

    def _where_drawn(self) -> tuple[np.ndarray, list[QRectF]]:
        """(places (n, 2) along the lines, a few px apart; the boxes of the words), px: found once for a picture as it is placed."""
        origin, scale = self.to_screen(np.zeros(2)), self.scale
        key = (self.picture, scale, origin.x(), origin.y())
        if self._traces is not None and self._traces[0] == key:
            return self._traces[1]
        spots: list[np.ndarray] = [np.zeros((0, 2))]
        words: list[QRectF] = []
        for item in self.picture.items:
            if isinstance(item, Poly):
                ring = np.vstack([item.points, item.points[:1]]) if item.closed else item.points
                ends = np.column_stack([origin.x() + ring[:, 0] * scale, origin.y() - ring[:, 1] * scale])
                along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(ends, axis=0).T))])
                at = np.linspace(0, along[-1], max(2, int(along[-1] / TRACE_PX)))
                spots.append(np.column_stack([np.interp(at, along, ends[:, 0]), np.interp(at, along, ends[:, 1])]))
            elif isinstance(item, Circle):
                c = self.to_screen(item.centre)
                spots.append(np.array([[c.x(), c.y()]]))
            else:
                words.append(self._word_box(item))
        self._traces = key, (np.concatenate(spots), words)
        return self._traces[1]

    def _word_box(self, item: Label | Dim) -> QRectF:
        """About where a word stands, px."""
        c, wide = (
            self.to_screen(item.at if isinstance(item, Label) else (item.p + item.q) / 2),
            PX_PER_LETTER * len(item.text),
        )
        x, y = c.x(), c.y()
        if isinstance(item, Dim):
            way = (item.q - item.p) / max(float(np.hypot(*(item.q - item.p))), 1e-9)
            off = item.offset + (wide / 2 if abs(way[1]) > 0.5 else 0)
            x, y = x - way[1] * off, y - way[0] * off
        else:
            x += {"l": wide / 2, "r": -wide / 2}.get(item.anchor, 0.0) + item.shift[0]
            y -= item.shift[1]
        return QRectF(x - wide / 2, y - 9, wide, 18)

    def _polygon(self, points: np.ndarray) -> QPolygonF:
        """`to_screen` of many points (n, 2), with the scale and origin of the painting in hand."""
        s, x, y = self._placed
        return QPolygonF([QPointF(x + a * s, y - b * s) for a, b in points.tolist()])

    def share_along(self, tag: str, spot: QPointF) -> float:
        """How far along a tagged line a place is, 0 at its start to 1 at its end; 0.5 when there is no such line."""
        for item in self.picture.items:
            if isinstance(item, Poly) and item.tag == tag and len(item.points) == 2:
                at, (p, q) = np.array(self.to_picture(spot)), item.points
                return float(np.clip((at - p) @ (q - p) / max(float((q - p) @ (q - p)), 1e-9), 0.0, 1.0))
        return 0.5

    def tag_at(self, spot: QPointF) -> str:
        """The tag of the smallest tagged item under a place, so that a boss is found on its panel; dimensions first."""
        for dim, box in self._dims:
            if dim.tag and box.contains(spot):
                return dim.tag
        under = [(path.boundingRect(), tag) for tag, path in self._hits if path.contains(spot)]
        return min(under, key=lambda hit: hit[0].width() * hit[0].height())[1] if under else ""

    def dim_box(self, tag: str) -> QRectF | None:
        """Where a live dimension's figure stands, after painting."""
        return next((box for dim, box in self._dims if dim.tag == tag), None)

    # -- painting -------------------------------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """The picture, and what can be hit in it."""
        with QPainter(self) as p:  # put down here and now: see tests/desk/test_painting.py
            self._paint(p)

    def _paint(self, p: QPainter) -> None:
        """The picture as it was drawn once, what is lit and what hangs over it."""
        origin = self.to_screen(np.zeros(2))
        self._placed = (self.scale, origin.x(), origin.y())
        key = self._state()
        if key != self._drawn_for or self._drawn is None:
            ratio = self.devicePixelRatioF()
            self._drawn = QPixmap(max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio)))
            self._drawn.setDevicePixelRatio(ratio)
            with QPainter(self._drawn) as base:
                self._paint_base(base)
            self._drawn_for = key
            self._base = (list(self._dims), list(self._boxes), list(self._spots))
        p.drawPixmap(0, 0, self._drawn)
        dims, boxes, spots = self._base
        self._dims, self._boxes, self._spots, self._hit_paths = list(dims), list(boxes), list(spots), None
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.lit or self.pointed:
            self._paint_lit(p)
        if not self.quiet:
            self._paint_flags(p)
        if self.over.items and not self.quiet:
            self._paint_items(p, self.over.items)
        if self.quiet and not self.frameless:
            self._paint_frame(p)

    def draw(self, p: QPainter) -> None:
        """The picture on something else than the window, with what hangs over it; nothing in it is lit."""
        self._paint_base(p)
        if self.over.items and not self.quiet:
            self._paint_items(p, self.over.items)
        self._drawn = None  # what can be hit was noted for the other place
        self.update()

    def _state(self) -> tuple[object, ...]:
        """What the drawing hangs on, but for what is lit and what hangs over it."""
        focus = self._focus_dim if self.hasFocus() else -1
        rooms = (self.room_px, self.left_room, self.right_room, self.foot_room)
        off = self.keep_off.getRect()
        look = (self.theme.dark, text_size(), self.quiet, self.empty_words, self.devicePixelRatioF(), off)
        return (self.picture, self.width(), self.height(), self._zoom, self._pan.x(), self._pan.y(), rooms, look, focus)

    def _paint_base(self, p: QPainter) -> None:
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), self.theme.colour("paper"))
        self._dims, self._boxes, self._spots = [], [self.keep_off] if self.keep_off.isValid() else [], []
        if not self.picture.items:
            p.setPen(self.theme.colour("quiet"))
            p.setFont(type_of(12))
            p.drawText(
                self.rect().adjusted(30, 30, -30, -30),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.empty_words,
            )
            return
        self._paint_items(p, self.picture.items)

    def _paint_items(self, p: QPainter, items: tuple[Item, ...]) -> None:
        words: list[Label | Dim] = []
        for item in items:
            if isinstance(item, Poly):
                self._paint_poly(p, item)
            elif isinstance(item, Circle):
                self._paint_circle(p, item)
            else:
                words.append(item)
        for item in () if self.quiet else sorted(words, key=_rank):
            if isinstance(item, Label):
                self._paint_label(p, item)
            else:
                self._paint_dim(p, item)

    def show_flags(self, flags: tuple[PlacedFlag, ...]) -> None:
        """Other findings at their places."""
        if flags != self.flags:
            self.flags = flags
            self.update()

    def show_pointed(self, tag: str) -> None:
        """Light what a finding points at, while the pointer is on it in the list."""
        if tag != self.pointed:
            self.pointed = tag
            self.update()

    def _paint_flags(self, p: QPainter) -> None:
        """A pennant on a pole at the place of each finding, the worst where there are more."""
        used: set[str] = set()
        for flag in self.flags:
            if not flag.where or flag.where in used:
                continue
            place = self._place_of(flag.where)
            if place is None or not QRectF(self.rect()).contains(place):
                continue
            used.add(flag.where)
            foot, top = place, QPointF(place.x(), place.y() - POLE_PX)
            p.setPen(QPen(self.theme.colour(flag.severity), 1.6))
            p.drawLine(foot, top)
            p.setBrush(self.theme.colour(flag.severity))
            p.setPen(QPen(self.theme.colour("paper"), 1))
            x, y = top.x(), top.y()
            p.drawPolygon(
                QPolygonF(
                    [
                        QPointF(x, y),
                        QPointF(x + 17, y),
                        QPointF(x + 12, y + 5.5),
                        QPointF(x + 17, y + 11),
                        QPointF(x, y + 11),
                    ]
                )
            )
            p.setFont(type_of(7.5, True))
            p.drawText(QRectF(x, y - 0.5, 13, 12), Qt.AlignmentFlag.AlignCenter, MARKS[flag.severity])
            self._spots.append((f"finding:{flag.number}", QRectF(x - 3, y - 3, 22, POLE_PX + 4)))

    def _place_of(self, where: str) -> QPointF | None:
        """Where a finding's place is on the widget: the middle of the first thing with its tag; None where it is not drawn."""
        for item in self.picture.items:
            if not item.tag or not (item.tag == where or item.tag.startswith(f"{where}:")):
                continue
            if isinstance(item, Circle):
                return self.to_screen(item.centre + np.array([0.5, 0.5]) * item.radius)
            if isinstance(item, Poly):
                spot = item.points.mean(axis=0) if item.closed else item.points[len(item.points) // 2]
                return self.to_screen(spot)
        return None

    def _paint_lit(self, p: QPainter) -> None:
        """The borders of what is selected, over everything."""
        p.setBrush(Qt.BrushStyle.NoBrush)
        for item in self.picture.items:
            if not item.tag or not (self._is_lit(item.tag) or self._is_lit(item.tag, self.pointed)):
                continue
            if isinstance(item, Poly):
                p.setPen(self._pen("select", item.width + LIT_MORE, item.dashed))
                draw = p.drawPolygon if item.closed else p.drawPolyline
                draw(self._polygon(item.points))
            elif isinstance(item, Circle):
                radius = item.radius * self.scale
                p.setPen(self._pen("select", item.width + LIT_MORE, dashed=False))
                p.drawEllipse(self.to_screen(item.centre), radius, radius)

    def _paint_frame(self, p: QPainter) -> None:
        """The inset's border, its two strokes at a corner saying that it may be had large."""
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(self.theme.colour("accent" if self.hasFocus() or self.underMouse() else "edge"), 2))
        p.drawRect(self.rect().adjusted(1, 1, -1, -1))
        p.setPen(QPen(self.theme.colour("accent"), 2.4))
        x, y = self.width() - 8, 8
        p.drawPolyline(QPolygonF([QPointF(x - 9, y), QPointF(x, y), QPointF(x, y + 9)]))

    def _pen(self, ink: str | None, width: float, dashed: bool) -> QPen | Qt.PenStyle:
        if ink is None:
            return Qt.PenStyle.NoPen
        pen = QPen(self.theme.colour(ink), width)
        pen.setCapStyle(Qt.PenCapStyle.RoundCap)
        pen.setJoinStyle(Qt.PenJoinStyle.MiterJoin)
        if dashed:
            pen.setDashPattern([4, 3])
        return pen

    def _is_lit(self, tag: str, lit: str | None = None) -> bool:
        """Whether a tag is what is lit, or a view of it."""
        lit = self.lit if lit is None else lit
        return bool(tag) and bool(lit) and (tag == lit or tag.startswith(f"{lit}:"))

    def _paint_poly(self, p: QPainter, item: Poly) -> None:
        polygon = self._polygon(item.points)
        p.setPen(self._pen(item.ink, item.width, item.dashed))
        p.setBrush(self.theme.colour(item.fill) if item.fill else Qt.BrushStyle.NoBrush)
        if item.closed:
            p.drawPolygon(polygon)
        else:
            p.drawPolyline(polygon)
        if item.tag:
            self._spots.append((item.tag, item))

    def _paint_circle(self, p: QPainter, item: Circle) -> None:
        centre, radius = self.to_screen(item.centre), item.radius * self.scale
        p.setPen(self._pen(item.ink, item.width, dashed=False))
        p.setBrush(self.theme.colour(item.fill) if item.fill else Qt.BrushStyle.NoBrush)
        p.drawEllipse(centre, radius, radius)
        if item.tag:
            self._spots.append((item.tag, item))

    @property
    def _hits(self) -> list[tuple[str, QPainterPath]]:
        """Where each tagged item can be hit: worked out when the pointer first asks."""
        if self._hit_paths is None:
            self._hit_paths = [(tag, self._reach(item)) for tag, item in self._spots]
        return self._hit_paths

    def _reach(self, item: Poly | Circle | QRectF) -> QPainterPath:
        path = QPainterPath()
        if isinstance(item, QRectF):
            path.addRect(item)
        elif isinstance(item, Circle):
            radius = max(item.radius * self.scale, GRIP_PX)
            path.addEllipse(self.to_screen(item.centre), radius, radius)
        else:
            path.addPolygon(self._polygon(item.points))
            if item.closed:
                path.closeSubpath()
                box = path.boundingRect()
                if min(box.width(), box.height()) < 2 * GRIP_PX:
                    path = QPainterPath()
                    path.addRect(box.adjusted(-GRIP_PX, -GRIP_PX, GRIP_PX, GRIP_PX))
            else:
                stroker = QPainterPathStroker()
                stroker.setWidth(2 * GRIP_PX)
                path = stroker.createStroke(path)
        return path

    def _paint_label(self, p: QPainter, item: Label) -> None:
        font = type_of(item.size, item.bold)
        if item.tall_mm:
            font.setPixelSize(max(6, round(item.tall_mm * self.scale)))
        p.setFont(font)
        metrics = p.fontMetrics()
        width, height = metrics.horizontalAdvance(item.text), metrics.height()
        if item.room_mm and width > item.room_mm * self.scale:
            font.setPixelSize(max(6, int(font.pixelSize() * item.room_mm * self.scale / width)))
            p.setFont(font)
            metrics = p.fontMetrics()
            width, height = metrics.horizontalAdvance(item.text), metrics.height()
        at = self.to_screen(item.at)
        x = at.x() + item.shift[0] - {"l": 0.0, "c": width / 2, "r": float(width)}[item.anchor]
        if self.rect().contains(at.toPoint()):  # words beside a thing that is seen are not cut off by the edge
            x = max(4.0, min(x, self.width() - width - 4.0))
        y = at.y() - item.shift[1]
        box = QRectF(x - 4, y - height / 2, width + 8, height)
        if not item.tall_mm:
            free = self._free_place(box, item.tag.startswith("edit:"))
            if free is None:
                return  # no room for it here: left to the hover, or to a closer look
            if (free.center() - box.center()).manhattanLength() > LEADER_PX:
                p.setPen(QPen(self.theme.colour("edge"), 1))
                p.drawLine(at, free.center())
            box = free
        if item.badge:
            p.setPen(Qt.PenStyle.NoPen)
            badge = QColor(self.theme.colour(item.badge))
            badge.setAlpha(max(badge.alpha(), 225))
            p.setBrush(badge)
            p.drawRoundedRect(box, 4, 4)
        p.setPen(self.theme.colour(item.ink))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, item.text)
        if item.tag:
            self._spots.append((item.tag, box))
            if item.tag.startswith("edit:"):
                self._dims.append((Dim(item.at, item.at, item.text, tag=item.tag), box))

    def _free_place(self, box: QRectF, needed: bool) -> QRectF | None:
        """Where words may stand that wish to stand in `box`: there, or pushed aside, over no other words; None without a place.

        What can be typed on is `needed`: it stands where it wishes where there is no better place.
        """
        w, h = box.width() + 2, box.height() + 1
        for dx, dy in (
            (0, 0),
            (0, h),
            (0, -h),
            (w, 0),
            (-w, 0),
            (0, 2 * h),
            (0, -2 * h),
            (w, h),
            (-w, h),
            (w, -h),
            (-w, -h),
        ):
            tried = box.translated(dx, dy)
            inner = tried.adjusted(2, 2, -2, -2)
            if not any(inner.intersects(other) for other in self._boxes):
                if (dx or dy) and not QRectF(self.rect()).contains(tried):
                    continue
                self._boxes.append(tried)
                return tried
        return box if needed else None

    def _paint_dim(self, p: QPainter, item: Dim) -> None:
        a, b = self.to_screen(item.p), self.to_screen(item.q)
        dx, dy = b.x() - a.x(), b.y() - a.y()
        length = float(np.hypot(dx, dy))
        if length < 1e-6:
            return
        ux, uy = dx / length, dy / length
        nx, ny = uy, -ux  # left of p -> q with y down
        c = QPointF(a.x() + nx * item.offset, a.y() + ny * item.offset)
        d = QPointF(b.x() + nx * item.offset, b.y() + ny * item.offset)
        live = item.tag.startswith("edit:")
        ink = self.theme.colour("accent" if live else item.ink)
        p.setPen(QPen(self.theme.colour("edge"), 1))
        p.drawLine(QPointF(a.x() + nx * 3, a.y() + ny * 3), c)
        p.drawLine(QPointF(b.x() + nx * 3, b.y() + ny * 3), d)
        p.setPen(QPen(ink, 1.2))
        p.drawLine(c, d)
        for end, way in ((c, 1.0), (d, -1.0)):
            for side in (1.0, -1.0):
                p.drawLine(
                    end, QPointF(end.x() + way * ux * 6 + side * nx * 2.6, end.y() + way * uy * 6 + side * ny * 2.6)
                )
        p.setFont(type_of(11 if live else 9, live))
        metrics = p.fontMetrics()
        width, height = metrics.horizontalAdvance(item.text) + 8, metrics.height()
        middle = QPointF((c.x() + d.x()) / 2, (c.y() + d.y()) / 2)
        if width > length - 10 and abs(uy) < 0.5:
            middle = QPointF(middle.x() + nx * 2, middle.y() + ny * (height / 2 + 3))
        elif abs(uy) >= 0.5:
            middle = QPointF(middle.x() + nx * (width / 2 + 5), middle.y())
        box = QRectF(middle.x() - width / 2, middle.y() - height / 2, width, height)
        free = self._free_place(box, live)
        if free is None:
            return
        box = free
        focused = self.hasFocus() and 0 <= self._focus_dim == len(self._dims)
        p.setPen(QPen(self.theme.colour("accent"), 2) if focused else Qt.PenStyle.NoPen)
        p.setBrush(self.theme.colour("paper"))
        p.drawRoundedRect(box, 3, 3)
        p.setPen(ink)
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, item.text)
        if live:
            p.setPen(QPen(ink, 1, Qt.PenStyle.DotLine))
            p.drawLine(QPointF(box.left() + 4, box.bottom()), QPointF(box.right() - 4, box.bottom()))
        self._dims.append((item, box))

    # -- typing on the drawing ------------------------------------------------------------------------------------

    def type_at(self, tag: str) -> None:
        """Open the editor on a live dimension."""
        found = next(((d, b) for d, b in self._dims if d.tag == tag), None)
        if found is None:
            return
        dim, box = found
        self._editing = tag
        self.editor.setText(dim.text.split("  (")[0])
        self.editor.setGeometry(int(box.center().x() - 60), int(box.center().y() - 16), 120, 32)
        self.editor.show()
        self.editor.setFocus()
        self.editor.selectAll()
        self.trouble.hide()

    def _commit(self) -> None:
        self.typed.emit(self._editing, self.editor.text())

    def close_editor(self) -> None:
        """The typed value was taken."""
        self.editor.hide()
        self.trouble.hide()
        self.setFocus()

    def refuse(self, why: str) -> None:
        """The typed value was not taken; say why beside it."""
        if not self.editor.isVisible():
            return
        self.trouble.setText(why)
        self.trouble.setWordWrap(True)
        self.trouble.setFixedWidth(min(330, self.width() - 20))
        self.trouble.adjustSize()
        spot = self.editor.geometry()
        x = max(6, min(spot.left(), self.width() - self.trouble.width() - 6))
        below = spot.bottom() + 4
        y = below if below + self.trouble.height() < self.height() else spot.top() - self.trouble.height() - 4
        self.trouble.move(x, y)
        self.trouble.show()
        self.trouble.raise_()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Enter takes what is typed; Escape closes the editor without a change."""
        assert event is not None
        if (
            watched is self.editor
            and isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() in (Qt.Key.Key_Escape, Qt.Key.Key_Return, Qt.Key.Key_Enter)
        ):
            if event.key() == Qt.Key.Key_Escape:
                self.close_editor()
            else:
                self._commit()  # here, or the key goes on to the drawing and puts down what hangs
            return True
        return super().eventFilter(watched, event)

    # -- pointer and keys -----------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Left picks or grabs, right pans."""
        assert event is not None
        if event.button() in (Qt.MouseButton.RightButton, Qt.MouseButton.MiddleButton):
            self._panning = self._down = event.position()
            return
        self._pressed = self._down = event.position()
        if self.quiet:
            return
        if self.hanging:
            self.hung.emit(*self.to_picture(event.position()))
            self.dropped.emit()
            self._pressed = None
            return
        tag = self.tag_at(event.position())
        if tag.startswith("edit:"):
            self.type_at(tag)
            return
        self.editor.hide()
        self.trouble.hide()
        self._grabbed = tag if tag.startswith(self.draggable or ("\0",)) else ""
        self.picked.emit(tag, self.share_along(tag, event.position()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag, pan or point."""
        assert event is not None
        if self._panning is not None:
            self._pan += event.position() - self._panning
            self._panning = event.position()
            self.update()
        elif self.hanging:
            if not self.editor.isVisible():
                self.hung.emit(*self.to_picture(event.position()))
        elif self._grabbed and self._pressed is not None:
            if (event.position() - self._pressed).manhattanLength() > 3:
                self.dragged.emit(self._grabbed, *self.to_picture(event.position()), False)
        else:
            tag = self.tag_at(event.position())
            if tag != self._under_pointer:
                self._under_pointer = tag
                self.pointed_at.emit(tag)
            live = tag.startswith(("edit:", *self.draggable)) if self.draggable or tag.startswith("edit:") else False
            live |= self.quiet
            self.setCursor(Qt.CursorShape.PointingHandCursor if live else Qt.CursorShape.ArrowCursor)
            words = self._words_on(tag) if tag and not self.quiet else ""
            if words:
                QToolTip.showText(event.globalPosition().toPoint(), words, self)
            else:
                QToolTip.hideText()

    def _words_on(self, tag: str) -> str:
        """What is under the pointer, in words."""
        if tag.startswith("finding:"):
            return next((f.words for f in self.flags if f"finding:{f.number}" == tag), "")
        return self.describe(tag)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go; a right button that did not pan asks for the drawing's menu."""
        assert event is not None
        still = (event.position() - self._down).manhattanLength() <= CLICK_PX
        if event.button() == Qt.MouseButton.RightButton and self._panning is not None and still and not self.quiet:
            self._panning = None
            self.menu_wanted.emit(event.globalPosition().toPoint())
            return
        if self.quiet and self._pressed is not None and (event.position() - self._down).manhattanLength() <= CLICK_PX:
            self._pressed = None
            self.wanted.emit()
            return
        if self._grabbed and self._pressed is not None and (event.position() - self._pressed).manhattanLength() > 3:
            self.dragged.emit(self._grabbed, *self.to_picture(event.position()), True)
        self._grabbed, self._pressed, self._panning = "", None, None

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom about the pointer."""
        assert event is not None
        self.zoom(1.0015 ** event.angleDelta().y(), event.position())

    def zoom(self, factor: float, about: QPointF | None = None) -> None:
        """Zoom by a factor, keeping `about` (or the middle) where it is."""
        middle = QPointF(self._middle_px, self._level_px)
        about = about or middle
        new = min(max(self._zoom * factor, 0.3), 40.0)
        factor = new / self._zoom
        centre = middle + self._pan
        self._pan += (centre - about) * (factor - 1)
        self._zoom = new
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Zoom, fit, and go through live dimensions."""
        assert event is not None
        key = event.key()
        step = STEP_MM[bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier), bool(event.modifiers() & CTRL)]
        if not self.quiet and key in ARROWS and (self.hanging or self.lit.startswith(self.draggable or ("\0",))):
            dx, dy = ARROWS[key]
            self.nudged.emit(dx * step, dy * step)
        elif self.hanging and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._focus_dim < 0:
            self.dropped.emit()
        elif self.hanging and key == Qt.Key.Key_Escape:
            self.gave_up.emit()
        elif not self.quiet and self.lit.startswith(self.draggable or ("\0",)) and key in ASKED:
            self.asked.emit(ASKED[key])
        elif self.quiet and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.wanted.emit()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom(1.25)
        elif key == Qt.Key.Key_Minus:
            self.zoom(0.8)
        elif key == Qt.Key.Key_0:
            self.refit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and 0 <= self._focus_dim < len(self._dims):
            self.type_at(self._dims[self._focus_dim][0].tag)
        else:
            super().keyPressEvent(event)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab walks the live dimensions before it leaves the drawing."""
        live = [k for k, (dim, _) in enumerate(self._dims) if dim.tag.startswith("edit:")]
        ahead = [k for k in live if (k > self._focus_dim if forward else k < self._focus_dim)]
        if self.hasFocus() and ahead:
            self._focus_dim = ahead[0] if forward else ahead[-1]
            self.update()
            return True
        self._focus_dim = -1
        self.update()
        return super().focusNextPrevChild(forward)
