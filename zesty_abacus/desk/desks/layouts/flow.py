"""Beside the cards where parts move: the frame at the cursor as a flowing strip."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...widgets.paint import byte_owners, draw_text
from ...widgets.theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font
from ...widgets.words import counted

_CELL, _LINE, _MARGIN, _OFFSETS = 26, 34, 12, 34
_COLUMNS = 8


class FlowStrip(QWidget):
    """The bytes of one frame, coloured by the field each belongs to in this very frame.

    Events
    ------
    byte_picked
        (number of the field, as ``Layout.all_fields`` lists them) a byte of a field was clicked.
    """

    byte_picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self._payload = b""
        self._owners: list[int] = []
        self._chosen = -1
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("The frame at the cursor, byte by byte")
        look.changed.connect(self.update)

    def show_frame(self, payload: bytes, owners: NDArray[np.int16], chosen: int) -> None:
        """Show another frame; ``chosen`` is the number of the field in hand."""
        self._payload, self._chosen = payload, chosen
        self._owners = byte_owners(owners, len(payload))
        self.updateGeometry()
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        lines = max(1, -(-len(self._payload) // _COLUMNS))
        return QSize(_MARGIN * 2 + _OFFSETS + _COLUMNS * _CELL, 34 + lines * _LINE)

    minimumSizeHint = sizeHint

    def owner_of(self, byte: int) -> int:
        """Return the number of the field most bits of a byte belong to, -1 for none."""
        return self._owners[byte]

    def first_cell(self, owner: int) -> QRectF | None:
        """Return where the first byte of a field is drawn, None if this frame has none."""
        return self.cell_rect(self._owners.index(owner)) if owner in self._owners else None

    def cell_rect(self, byte: int) -> QRectF:
        """Return where a byte is drawn."""
        line, column = divmod(byte, _COLUMNS)
        return QRectF(_MARGIN + _OFFSETS + column * _CELL, 30 + line * _LINE, _CELL, _LINE - 8)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        head = QRectF(_MARGIN, 6, self.width() - _MARGIN * 2, 16)
        words = (
            f"frame at the cursor, {counted(len(self._payload), 'byte')}" if self._payload else "no frame at the cursor"
        )
        draw_text(painter, head, words, text_font(TINY_PX), theme.quiet)
        for byte, value in enumerate(self._payload):
            self._draw_cell(painter, byte, value)
        painter.end()

    def _draw_cell(self, painter: QPainter, byte: int, value: int) -> None:
        theme, box, owner = look.theme, self.cell_rect(byte), self.owner_of(byte)
        if byte % _COLUMNS == 0:
            offset = QRectF(_MARGIN, box.top() + 3, _OFFSETS - 6, 16)
            draw_text(painter, offset, f"B{byte}", figure_font(TINY_PX), theme.quiet)
        color = theme.field(owner) if owner >= 0 else QColor(theme.line)
        # neighbours of one field run together, so that a field reads as one stretch
        joined = byte > 0 and byte % _COLUMNS and owner >= 0 and self.owner_of(byte - 1) == owner
        body = box.adjusted(-1 if joined else 1, 0, -1, 0)
        painter.setPen(QPen(QColor(theme.zest), 2) if owner >= 0 and owner == self._chosen else Qt.PenStyle.NoPen)
        painter.setBrush(faded(color, 0.22 if owner >= 0 else 0.35))
        painter.drawRoundedRect(body, 4, 4)
        painter.fillRect(QRectF(body.left(), body.bottom() - 2.5, body.width(), 2.5), color)
        mono = figure_font(SMALL_PX)
        draw_text(painter, box.adjusted(0, 0, 0, -7), f"{value:02X}", mono, theme.ink, Qt.AlignmentFlag.AlignHCenter)
        letter = chr(value) if 32 < value < 127 else "·"
        small = box.adjusted(0, 13, 0, -1)
        draw_text(painter, small, letter, figure_font(8), theme.quiet, Qt.AlignmentFlag.AlignHCenter)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        for byte in range(len(self._payload)):
            if self.cell_rect(byte).contains(event.position()) and self.owner_of(byte) >= 0:
                self.byte_picked.emit(self.owner_of(byte))
                return
