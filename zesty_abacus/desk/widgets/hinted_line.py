"""A line whose hint is as long as there is room for."""

from __future__ import annotations

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QLineEdit, QStyle, QStyleOptionFrame

_GAP_PX = 8
"""What the line leaves free beside its words, at both ends together, and a little for fonts."""


class HintedLine(QLineEdit):
    """Words to be typed; while there are none, the longest of its hints that is seen whole.

    Parameters
    ----------
    hints
        What is shown while nothing is typed, the fullest first.
    """

    def __init__(self, *hints: str) -> None:
        super().__init__()
        self._hints = hints
        self.setPlaceholderText(hints[0])

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        option, style = QStyleOptionFrame(), self.style()
        assert style is not None, "a part of a window has a style"
        self.initStyleOption(option)
        room = style.subElementRect(QStyle.SubElement.SE_LineEditContents, option, self).width() - _GAP_PX
        metrics = self.fontMetrics()
        fitting = (hint for hint in self._hints if metrics.horizontalAdvance(hint) <= room)
        self.setPlaceholderText(next(fitting, self._hints[-1]))
