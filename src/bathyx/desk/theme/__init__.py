"""Colours, type and the style sheet, light and dark. No toolkit-heavy or numeric imports: it is needed for the first paint."""

from __future__ import annotations

import html
import re
from importlib.resources import files
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase

from bathyx.draft.palette import DARK, LIGHT

FAMILY = "B612"
HERE = Path(__file__).parent.as_posix()


TEXT_SIZES = (1.0, 1.15, 1.3)
_scale = 1.0


def set_text_size(scale: float) -> None:
    """Make all type larger or smaller from now on; 1 is the usual."""
    global _scale
    _scale = scale if scale in TEXT_SIZES else 1.0


def text_size() -> float:
    """The scale of type in force."""
    return _scale


def scaled(sheet: str) -> str:
    """A style sheet with its type in the size in force."""
    return re.sub(r"font-size: ([0-9.]+)pt", lambda m: f"font-size: {float(m.group(1)) * _scale:.1f}pt", sheet)


class Theme:
    """The palette in force; `dark` switches it."""

    def __init__(self, dark: bool = False) -> None:
        self.dark = dark
        self._made: dict[str, QColor] = {}

    @property
    def colours(self) -> dict[str, str]:
        """Hex by role."""
        return DARK if self.dark else LIGHT

    def colour(self, role: str) -> QColor:
        """A role's colour with its alpha."""
        code = self.colours[role]
        known = self._made.get(code)
        if known is None:
            red, green, blue, *alpha = bytes.fromhex(code.lstrip("#"))
            known = self._made[code] = QColor(red, green, blue, *alpha)
        return known

    def sheet(self) -> str:
        """The Qt style sheet."""
        c = self.colours
        return scaled(f"""
        * {{ font-family: '{FAMILY}'; font-size: 10.5pt; color: {c["ink"]}; }}
        QWidget#window, QWidget#spread {{ background: {c["bench"]}; }}
        QWidget#card, QWidget#cardBody {{ background: {c["card"]}; }}
        QWidget#rail, QWidget#railBody {{ background: {c["card"]}; }}
        QScrollArea {{ border: none; }}
        QToolTip {{ background: {c["ink"]}; color: {c["paper"]}; border: none; padding: 4px; }}
        QLabel[look="head"] {{ font-size: 13pt; font-weight: bold; }}
        QLabel[look="quiet"] {{ color: {c["quiet"]}; font-size: 9pt; }}
        QLabel[look="trouble"] {{ color: {c["stop"]}; font-size: 9.5pt; }}
        QLabel[look="caution"] {{ background: {c["stop fill"]}; padding: 7px; border-left: 4px solid {c["stop"]};
            font-size: 9.5pt; }}
        QLabel[look="good"] {{ color: {c["go"]}; font-weight: bold; }}
        QLineEdit, QComboBox, QPlainTextEdit {{ background: {c["paper"]}; border: 1px solid {c["edge"]}; border-radius: 3px;
            padding: 3px 6px; min-height: 21px; selection-background-color: {c["accent"]}; }}
        QLineEdit:focus, QComboBox:focus {{ border: 2px solid {c["accent"]}; padding: 2px 5px; }}
        QLineEdit[wrong="true"] {{ border: 2px solid {c["stop"]}; padding: 2px 5px; }}
        QComboBox QAbstractItemView {{ background: {c["paper"]}; selection-background-color: {c["accent"]};
            selection-color: {c["accent ink"]}; }}
        QComboBox::drop-down {{ border: none; width: 20px; }}
        QComboBox::down-arrow {{ image: url({HERE}/chevron.svg); width: 12px; height: 12px; }}
        QPushButton {{ background: {c["paper"]}; border: 1px solid {c["edge"]}; border-radius: 3px; padding: 5px 11px; }}
        QPushButton[look="tight"] {{ padding: 5px 8px; }}
        QPushButton:hover {{ border-color: {c["accent"]}; }}
        QPushButton:focus {{ border: 2px solid {c["accent"]}; padding: 4px 10px; }}
        QPushButton:disabled {{ color: {c["quiet"]}; background: {c["card"]}; }}
        QPushButton:checked {{ background: {c["accent"]}; color: {c["accent ink"]}; border-color: {c["accent"]}; }}
        QPushButton[look="main"] {{ background: {c["accent"]}; color: {c["accent ink"]}; font-weight: bold;
            border-color: {c["accent"]}; }}
        QPushButton[look="main"]:disabled {{ background: {c["edge"]}; color: {c["quiet"]}; border-color: {c["edge"]}; }}
        QPushButton[look="danger"] {{ border: 2px solid {c["stop"]}; color: {c["stop"]}; font-weight: bold; }}
        QPushButton[look="link"] {{ border: none; background: transparent; color: {c["accent"]}; padding: 2px 4px; }}
        QCheckBox {{ spacing: 7px; }}
        QCheckBox::indicator {{ width: 16px; height: 16px; border: 1px solid {c["thin"]}; background: {c["paper"]};
            border-radius: 2px; }}
        QCheckBox::indicator:checked {{ background: {c["accent"]}; border-color: {c["accent"]};
            image: url({HERE}/tick.svg); }}
        QProgressBar {{ border: 1px solid {c["edge"]}; border-radius: 3px; background: {c["paper"]}; height: 14px;
            text-align: center; font-size: 8pt; }}
        QProgressBar::chunk {{ background: {c["accent"]}; }}
        QToolButton {{ background: {c["paper"]}; border: 1px solid {c["edge"]}; border-radius: 4px; padding: 5px; }}
        QToolButton:checked {{ border: 2px solid {c["accent"]}; background: {c["card"]}; font-weight: bold; }}
        QToolButton:focus {{ border: 2px solid {c["ink"]}; }}
        QTableWidget {{ background: {c["paper"]}; border: 1px solid {c["edge"]}; gridline-color: {c["edge"]};
            selection-background-color: {c["accent"]}; selection-color: {c["accent ink"]}; }}
        QTableWidget:focus {{ border: 2px solid {c["accent"]}; }}
        QTableWidget QLineEdit, QTableWidget QComboBox {{ border-radius: 0; padding: 0 4px; min-height: 0; }}
        QHeaderView {{ background: {c["card"]}; }}
        QHeaderView::section, QTableCornerButton::section {{ background: {c["card"]}; color: {c["quiet"]}; border: none;
            border-right: 1px solid {c["edge"]}; border-bottom: 1px solid {c["edge"]}; padding: 3px 6px; font-size: 9pt; }}
        QFrame#card {{ background: {c["card"]}; }}
        QListWidget {{ background: {c["paper"]}; border: 1px solid {c["edge"]}; }}
        QListWidget::item {{ padding: 5px; }}
        QListWidget::item:selected, QListWidget::item:selected:!active {{ background: {c["accent"]}; color: {c["accent ink"]}; }}
        QScrollBar:vertical {{ background: transparent; width: 10px; }}
        QScrollBar::handle:vertical {{ background: {c["edge"]}; border-radius: 4px; min-height: 30px; }}
        QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
        QSlider::groove:horizontal {{ background: {c["edge"]}; height: 6px; border-radius: 3px; }}
        QSlider::handle:horizontal {{ background: {c["accent"]}; width: 14px; margin: -6px 0; border-radius: 4px; }}
        QSlider::handle:horizontal:focus {{ border: 2px solid {c["ink"]}; }}
        QSplitter::handle {{ background: {c["edge"]}; }}
        QFrame[pointed="true"] {{ background: {c["paper"]}; border-left: 4px solid {c["accent"]}; }}
        QFrame[notice="stop"] {{ background: {c["stop fill"]}; border-left: 5px solid {c["stop"]}; }}
        QFrame[notice="warn"] {{ background: {c["card"]}; border-left: 5px solid {c["warn"]}; }}
        QFrame[notice="note"] {{ background: {c["card"]}; border-left: 5px solid {c["accent"]}; }}
        QFrame#explainer {{ background: {c["ink"]}; border-radius: 4px; }}
        QFrame#explainer QLabel {{ color: {c["paper"]}; font-size: 9.5pt; }}
        """)


def tip(text: str) -> str:
    """`text` for a tool tip, which Qt would take for markup where it looks like some."""
    return f"<qt>{html.escape(text)}</qt>".replace("\n", "<br>") if Qt.mightBeRichText(text) else text  # type: ignore[attr-defined]


def load_fonts() -> None:
    """Make the shipped family known to Qt; call once after QApplication."""
    for file in ("B612-Regular.ttf", "B612-Bold.ttf"):
        QFontDatabase.addApplicationFontFromData(files("bathyx.fonts").joinpath(file).read_bytes())


def load_fallback() -> None:
    """The family that has what the first one lacks; called once the window is painted."""
    for file in ("DejaVuSans.ttf", "DejaVuSans-Bold.ttf"):
        QFontDatabase.addApplicationFontFromData(files("bathyx.fonts").joinpath(file).read_bytes())


def type_of(points: float, bold: bool = False) -> QFont:
    """The shipped font in a size."""
    font = QFont(FAMILY)
    font.setPointSizeF(points * _scale)
    font.setBold(bold)
    return font
