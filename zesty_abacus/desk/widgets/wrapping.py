"""Parts beside one another that go on in the next line where there is no room."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem


class WrappingRow(QLayout):
    """Lays parts out like words: from the left, as many as fit, then a line below.

    Parts that are hidden take no room.

    Parameters
    ----------
    last_right
        Whether the last part stands at the right of its line.
    """

    def __init__(self, spacing: int, *, last_right: bool = False) -> None:
        super().__init__()
        self._last_right = last_right
        self._items: list[QLayoutItem] = []
        self.setSpacing(spacing)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay_out(QRect(0, 0, width, 0), is_meant=False)

    def sizeHint(self) -> QSize:
        shown = [item.sizeHint() for item in self._items if not item.isEmpty()]
        width = sum(size.width() for size in shown) + self.spacing() * max(len(shown) - 1, 0)
        return self._with_margins(QSize(width, max((size.height() for size in shown), default=0)))

    def minimumSize(self) -> QSize:
        shown = [item.minimumSize() for item in self._items if not item.isEmpty()]
        widest = max((size.width() for size in shown), default=0)
        return self._with_margins(QSize(widest, max((size.height() for size in shown), default=0)))

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay_out(rect, is_meant=True)

    def _with_margins(self, size: QSize) -> QSize:
        margins = self.contentsMargins()
        return QSize(size.width() + margins.left() + margins.right(), size.height() + margins.top() + margins.bottom())

    def _lay_out(self, rect: QRect, *, is_meant: bool) -> int:
        """Return the height that a width takes; put all parts there if it is meant."""
        margins = self.contentsMargins()
        room = rect.marginsRemoved(margins)
        y = room.top()
        for line in self._lines(room.width()):
            height = max(item.sizeHint().height() for item in line)
            x = room.left()
            for item in line:
                size = item.sizeHint()
                if self._last_right and item is self._items[-1]:
                    x = max(x, room.right() + 1 - size.width())
                if is_meant:
                    item.setGeometry(QRect(QPoint(x, y + (height - size.height()) // 2), size))
                x += size.width() + self.spacing()
            y += height + self.spacing()
        return y - self.spacing() - rect.top() + margins.bottom()

    def _lines(self, width: int) -> list[list[QLayoutItem]]:
        """Return the parts that are shown, line by line."""
        lines: list[list[QLayoutItem]] = []
        used = 0
        for item in self._items:
            if item.isEmpty():
                continue
            needed = item.sizeHint().width()
            if not lines or used + self.spacing() + needed > width:
                lines.append([])
                used = -self.spacing()
            lines[-1].append(item)
            used += self.spacing() + needed
        return lines
