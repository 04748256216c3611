"""Pages of which one is shown, and takes the room that it needs itself."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QStackedWidget


class Pages(QStackedWidget):
    """A stack that asks for no more room than the page that is shown; Qt's own asks for that of the largest one."""

    def __init__(self) -> None:
        super().__init__()
        self.currentChanged.connect(lambda _number: self.updateGeometry())

    def minimumSizeHint(self) -> QSize:
        shown = self.currentWidget()
        return super().minimumSizeHint() if shown is None else shown.minimumSizeHint()

    def sizeHint(self) -> QSize:
        shown = self.currentWidget()
        return super().sizeHint() if shown is None else shown.sizeHint()
