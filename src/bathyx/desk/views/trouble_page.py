"""The page that stands in the window's middle when there is no bench to show: what is wrong, and the ways on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from bathyx.desk.views.fields import button, words
from bathyx.desk.views.notices import Way
from bathyx.desk.views.plain import TextLine


class TroublePage(QWidget):
    """Head, reason, ways; optionally a folder to use instead, and a traceback to copy."""

    def __init__(
        self,
        head: str,
        text: str,
        ways: Sequence[Way],
        use_folder: Callable[[Path], None] | None = None,
        whole: str = "",
    ) -> None:
        super().__init__()
        self.setObjectName("trouble page")
        column = QVBoxLayout(self)
        column.setContentsMargins(120, 60, 120, 60)
        column.setSpacing(14)
        column.addWidget(words(head, "head"))
        self.text = words(text)
        self.text.setObjectName("trouble text")
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(self.text)
        for k, (label, name, do) in enumerate(ways):
            column.addWidget(button(label, name, do, "main" if k == 0 else ""), 0, Qt.AlignmentFlag.AlignLeft)
        if use_folder is not None:
            row = QHBoxLayout()
            self.folder = TextLine()
            self.folder.setObjectName("other home")
            self.folder.setPlaceholderText("or the path of another folder to keep jobs and records in, this time")

            def use() -> None:
                typed = self.folder.text().strip()
                if typed:
                    use_folder(Path(typed).expanduser())

            self.folder.returnPressed.connect(use)
            row.addWidget(self.folder, 1)
            row.addWidget(button("Use this folder", "use other home", use))
            column.addLayout(row)
        if whole:
            box = QPlainTextEdit(whole)
            box.setObjectName("whole fault")
            box.setReadOnly(True)
            column.addWidget(box, 1)
        else:
            column.addStretch(1)
