"""Help in the window: pages by a few words, with links between them and to the formulas behind the figures."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QImage, QTextCursor, QTextDocument
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from bathyx.desk.theme import Theme
from bathyx.desk.views.fields import button, words
from bathyx.desk.views.plain import TextLine
from bathyx.help import HelpPage, page, picture, search

KEY = Qt.ItemDataRole.UserRole
LIST_PX, MARGIN_PX, BLUE = 270, 18.0, "#0000ff"


class _Pages(QTextBrowser):
    """Text whose pictures lie beside the help's pages."""

    def loadResource(self, kind: int, name: QUrl) -> object:
        """A picture of the help; nothing of any other place is read."""
        if name.scheme() == "picture":
            return QImage.fromData(picture(name.path()))
        return None


class HelpView(QWidget):
    """Search and pages on the left, the page on the right."""

    left = pyqtSignal()
    first_job = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.setObjectName("help page")
        self._behind: list[str] = []
        self.now = ""
        outer = QVBoxLayout(self)
        outer.setContentsMargins(40, 20, 40, 14)
        head = QHBoxLayout()
        head.addWidget(words("Help", "head"))
        head.addStretch(1)
        self.back = button("Back", "help back", self.go_back)
        head.addWidget(self.back)
        head.addWidget(button("Walk me through a first tank", "first job", self.first_job.emit))
        head.addWidget(button("To the desk", "leave help", self.left.emit, "main"))
        outer.addLayout(head)
        row = QHBoxLayout()
        side = QVBoxLayout()
        self.search = TextLine()
        self.search.setObjectName("search help")
        self.search.setAccessibleName("Search the help")
        self.search.setPlaceholderText("a few words: vent, K, leak, scan")
        self.search.textChanged.connect(self._sieve)
        side.addWidget(self.search)
        self.list = QListWidget()
        self.list.setObjectName("help pages")
        self.list.setAccessibleName("Pages of the help")
        self.list.setFixedWidth(LIST_PX)
        self.list.currentItemChanged.connect(self._chosen)
        side.addWidget(self.list, 1)
        row.addLayout(side)
        self.text = _Pages()
        self.text.setObjectName("help text")
        self.text.setAccessibleName("The page")
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(self._followed)
        row.addWidget(self.text, 1)
        outer.addLayout(row, 1)
        self._fill(search(""))

    def show_page(self, key: str, word: str = "", *, back: bool = False) -> None:
        """A page, at the first place of a word in it."""
        found = page(key)
        if self.now and found.key != self.now and not back:
            self._behind.append(self.now)
        self.now = found.key
        document = self.text.document()
        assert document is not None
        document.setDocumentMargin(MARGIN_PX)
        self.text.setStyleSheet(f"QTextBrowser {{ background: {self.theme.colours['paper']}; }}")
        self.text.setMarkdown(found.text)
        # Links of Markdown take the system's blue; only as HTML can they have the theme's.
        self.text.setHtml(self.text.toHtml().replace(BLUE, self.theme.colours["accent"]))
        self.back.setEnabled(bool(self._behind))
        for k in range(self.list.count()):
            item = self.list.item(k)
            if item is not None and item.data(KEY) == found.key:
                self.list.blockSignals(True)
                self.list.setCurrentRow(k)
                self.list.blockSignals(False)
        if word:
            self.text.moveCursor(QTextCursor.MoveOperation.Start)
            self.text.find(word, QTextDocument.FindFlag(0))

    def go_back(self) -> None:
        """The page before."""
        if self._behind:
            self.show_page(self._behind.pop(), back=True)

    def _fill(self, found: tuple[HelpPage, ...]) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        for one in found:
            item = QListWidgetItem(one.title)
            item.setData(KEY, one.key)
            self.list.addItem(item)
        self.list.blockSignals(False)

    def _sieve(self, said: str) -> None:
        found = search(said)
        self._fill(found)
        if found and said.strip():
            self.show_page(found[0].key, said.split()[0])

    def _chosen(self, item: QListWidgetItem | None, _before: object = None) -> None:
        if item is not None:
            self.show_page(str(item.data(KEY)), (self.search.text().split() or [""])[0])

    def _followed(self, url: QUrl) -> None:
        said = url.toString()
        if said.startswith("page:"):
            self.show_page(said.removeprefix("page:"))
        elif said.startswith("formula:"):
            self.show_page(said)
        else:
            QDesktopServices.openUrl(url)
