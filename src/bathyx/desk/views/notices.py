"""Standing notices: what must not be covered by the next message. Each stays until what it is about is over, or is put away."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from bathyx.desk.views.fields import button, words
from bathyx.desk.views.pressed import unless_pressed

MOST_LETTERS = 600
Way = tuple[str, str, Callable[[], object]]


class Notices(QWidget):
    """A stack of notices by key. A notice is never taken from under a button of the pointer that is down on it."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("notices")
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(3)
        self._wanted: dict[str, tuple[str, str, tuple[Way, ...]]] = {}
        self._shown: dict[str, tuple[str, str, tuple[str, ...]]] = {}
        self._frames: dict[str, QFrame] = {}
        self.hide()

    def put(self, key: str, look: str, text: str, ways: Sequence[Way] = ()) -> None:
        """Show or change a notice. `look` is stop, warn or note; `ways` are (label, object name, what it does).

        Args:
            key: of the notice; the same key changes it.
            look: stop, warn or note.
            text: what it says.
            ways: (label, object name, what it does) of its buttons.
        """
        self._wanted[key] = (look, text[:MOST_LETTERS], tuple(ways))
        self._show()

    def drop(self, key: str) -> None:
        """Take a notice away."""
        if self._wanted.pop(key, None) is not None:
            self._show()

    def text_of(self, key: str) -> str:
        """What a notice says; empty when it does not stand."""
        return self._wanted[key][1] if key in self._wanted else ""

    def _show(self) -> None:
        if not unless_pressed(self, self._show):
            return
        wanted = {k: (look, text, tuple(w[0] for w in ways)) for k, (look, text, ways) in self._wanted.items()}
        for key in [k for k, shown in self._shown.items() if wanted.get(k) != shown]:
            old = self._frames.pop(key)
            self.column.removeWidget(old)
            old.hide()
            old.deleteLater()
            del self._shown[key]
        for key, said in wanted.items():
            if key not in self._frames:
                self._frames[key] = self._frame(key, *self._wanted[key])
                self.column.addWidget(self._frames[key])
                self._shown[key] = said
        self.setVisible(bool(self._frames))

    def _frame(self, key: str, look: str, text: str, ways: tuple[Way, ...]) -> QFrame:
        frame = QFrame()
        frame.setObjectName(f"notice {key}")
        frame.setProperty("notice", look)
        line = QHBoxLayout(frame)
        line.setContentsMargins(10, 5, 8, 5)
        line.setSpacing(8)
        line.addWidget(words(text), 1)
        for k, (label, name, _) in enumerate(ways):
            line.addWidget(button(label, name, partial(self._do, key, k)), 0, Qt.AlignmentFlag.AlignTop)
        return frame

    def _do(self, key: str, k: int) -> None:
        """Do what the button stands for now: a notice keeps its frame while only its doing changes."""
        if key in self._wanted:
            self._wanted[key][2][k][2]()
