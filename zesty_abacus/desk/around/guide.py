"""The guide inside the window: F1 twice, at the place of the desk; its links lead to the other pages."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QKeyEvent, QTextBlockFormat, QTextCursor, QTextFormat
from PyQt6.QtWidgets import QApplication, QTextBrowser, QWidget

from ..widgets.parts import button
from ..widgets.theme import look, text_font
from .sheet import Sheet

PAGES = Path(__file__).parent.parent / "pages"
FIRST = "guide.md"
PLACES = {
    "Intake": "Your own recordings", "Read": "2. Read known messages", "Unravel": "3. Find a message nobody named",
    "Layouts": "6. Lay it out", "Rehearse": "7. Rehearse it", "Hand over": "8. Close, open again, hand over",
    "Library": "9. Share it",
}  # fmt: skip
"""Which heading of the guide is about a desk."""
_WIDEST = 860
_LINE_HEIGHT = 135.0


class GuideView(Sheet):
    """Pages to read over the window.

    Attributes
    ----------
    text
        What is read.
    """

    def __init__(self, window: QWidget) -> None:
        super().__init__(window, "the work", _WIDEST)
        self.setAccessibleName("Guide")
        self.text = QTextBrowser()
        self.text.setAccessibleName("Text of the guide")
        self.text.setFont(text_font())
        self.text.setOpenLinks(False)
        self.text.setSearchPaths([str(PAGES)])
        self.back = button("Back", "Go to the page before")
        self.head.insertWidget(1, self.back)
        self.column.addWidget(self.text, 1)
        self.text.anchorClicked.connect(self._follow)
        self.text.sourceChanged.connect(lambda _url: self._told())
        self.text.backwardAvailable.connect(self.back.setEnabled)
        self.back.clicked.connect(self.text.backward)
        look.changed.connect(self._colour)
        self._colour()
        self.back.setEnabled(False)

    def begin(self, desk: str) -> None:
        """Show the guide where it is about a desk."""
        self.lie_over(QApplication.focusWidget())
        self.text.setSource(QUrl.fromLocalFile(str(PAGES / FIRST)))
        self.go_to(PLACES.get(desk, ""))
        self.text.setFocus()

    def go_to(self, heading: str) -> bool:
        """Put a heading at the top; returns whether there is one."""
        document = self.text.document()
        block = document.begin() if document is not None else None
        while block is not None and block.isValid():
            if block.blockFormat().headingLevel() and block.text().strip() == heading:
                bar = self.text.verticalScrollBar()
                self.text.setTextCursor(QTextCursor(block))
                if bar is not None:
                    bar.setValue(bar.value() + self.text.cursorRect().top())
                return True
            block = block.next()
        return False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_F1:
            self.end()
        else:
            super().keyPressEvent(event)

    def _follow(self, url: QUrl) -> None:
        """Open another page here, and anything else with the program of the system."""
        name = Path(url.path()).name
        if url.scheme() in ("", "file") and (PAGES / name).suffix == ".md" and (PAGES / name).exists():
            self.text.setSource(QUrl.fromLocalFile(str(PAGES / name)))
        elif url.scheme() in ("http", "https"):
            QDesktopServices.openUrl(url)

    def _told(self) -> None:
        document: Any = self.text.document()
        self.title.setText(document.begin().text() or "Guide")
        document.setDocumentMargin(22)
        cursor = QTextCursor(document)
        block = document.begin()
        while block.isValid():
            shape = block.blockFormat()
            is_head = bool(shape.headingLevel())
            shape.setTopMargin(18 if is_head else 0)
            shape.setBottomMargin(8)
            if not is_head and not shape.hasProperty(QTextFormat.Property.BlockCodeFence.value):
                shape.setLineHeight(_LINE_HEIGHT, QTextBlockFormat.LineHeightTypes.ProportionalHeight.value)
            cursor.setPosition(block.position())
            cursor.setBlockFormat(shape)
            block = block.next()

    def _colour(self) -> None:
        theme = look.theme
        document: Any = self.text.document()
        document.setDefaultStyleSheet(f"a {{ color: {theme.zest_text}; }}")
