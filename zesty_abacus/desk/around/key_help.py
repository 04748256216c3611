"""F1: the keys of this desk, over the window until the next key."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from ..app.commands import Command
from ..widgets.paint import draw_text
from ..widgets.theme import faded, figure_font, look, text_font

_ROW, _LOWEST_ROW = 24, 15
"""Pixels of a line, and of one where all of them would not have room."""
_HEAD, _FOOT, _OUTSIDE = 48, 18, 8
_WIDEST = 960


class KeyHelp(QWidget):
    """A sheet of keys made from the commands.

    Parameters
    ----------
    window
        What it lies over.
    keys
        Gives the name of the desk that is shown, and the commands that are known there.
    more
        Called where F1 is pressed again.
    """

    def __init__(
        self, window: QWidget, keys: Callable[[], tuple[str, list[Command]]], more: Callable[[], None]
    ) -> None:
        super().__init__(window)
        self._more = more
        self._window = window
        self._keys = keys
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Keys")
        self.hide()

    def begin(self) -> None:
        """Show the sheet; where it is shown already, what is more."""
        if self.isVisible():
            # the window takes the key before the sheet does
            self.hide()
            self._more()
            return
        self.setGeometry(self._window.rect())
        self.show()
        self.raise_()
        self.setFocus()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), faded(theme.ink if theme.name == "Peel" else "#000000", 0.35))
        desk, commands = self._keys()
        keys = [command for command in commands if command.shortcut]
        lines = _lines(desk, [one for one in keys if one.desk == desk], [one for one in keys if not one.desk])
        rows = (len(lines) + 1) // 2
        room = self.height() - 2 * _OUTSIDE - _HEAD - _FOOT
        tall = min(max(room / rows, _LOWEST_ROW), _ROW)
        height = rows * tall + _HEAD + _FOOT
        width = min(_WIDEST, self.width() - 20)
        sheet = QRectF((self.width() - width) / 2, max((self.height() - height) / 2, _OUTSIDE), width, height)
        painter.setPen(QColor(theme.line))
        painter.setBrush(QColor(theme.panel))
        painter.drawRoundedRect(sheet, 10, 10)
        head = QRectF(sheet.left() + 24, sheet.top() + 14, width - 48, 24)
        draw_text(painter, head, f"Keys on {desk}", text_font(16, bold=True), theme.ink)
        draw_text(painter, head, "F1 again: the guide", text_font(), theme.quiet, Qt.AlignmentFlag.AlignRight)
        font = figure_font(12)
        keys_room = max((QFontMetricsF(font).horizontalAdvance(name) for name, _ in lines), default=0.0) + 4
        half = (width - 48) / 2
        for number, (name, words) in enumerate(lines):
            column, row = divmod(number, rows)
            x = sheet.left() + 24 + column * half
            y = sheet.top() + _HEAD + row * tall
            if not name:
                draw_text(painter, QRectF(x, y, half - 24, tall), words, text_font(bold=True), theme.quiet)
                continue
            draw_text(painter, QRectF(x, y, keys_room, tall), name, font, theme.zest_text)
            draw_text(
                painter, QRectF(x + keys_room + 10, y, half - keys_room - 24, tall), words, text_font(), theme.ink
            )
        painter.end()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        self.hide()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.hide()


def _lines(desk: str, own: list[Command], everywhere: list[Command]) -> list[tuple[str, str]]:
    """Return keys and what they do, those of the desk first, each lot below a line without a key that says which."""
    lots = [(f"On {desk} alone", own), ("Everywhere", everywhere)]
    return [
        line
        for title, commands in lots
        if commands
        for line in (("", title), *((keys_words(command.shortcut), command.title) for command in commands))
    ]


def keys_words(shortcut: str) -> str:
    """Return keys as they are printed on them: ``Ctrl Shift Z``, and ``Ctrl +`` of the plus itself."""
    held, plus, key = shortcut.rpartition("+")
    return " ".join(part for part in (*held.removesuffix("+").split("+"), key or plus) if part)
