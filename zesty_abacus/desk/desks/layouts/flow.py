"""Beside the cards: the frame at the cursor as a flowing strip, where parts move, or the ladder of a device."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...app.doors import engine
from ...app.session import Session
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


@dataclass(frozen=True, slots=True)
class Rung:
    """One register, or several that a field spans.

    Attributes
    ----------
    first, last
        Registers, from 0.
    field
        What lies there, None for registers that nothing is known of.
    seen
        Whether the exchange in hand carries it.
    past_end
        Whether it lies behind the last register of the map.
    """

    first: int
    last: int
    field: engine.Field | None
    seen: bool
    past_end: bool = False


class RegisterLadder(QWidget):
    """The registers of a device one above the other: their number, the customary one, and what lies there.

    Events
    ------
    rung_picked
        (field id) a register with a field was clicked.
    swept
        (first, last) registers of nobody were clicked or dragged over.
    """

    rung_picked = pyqtSignal(object)
    swept = pyqtSignal(int, int)
    _ROW = 26

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._layout: engine.Layout | None = None
        self._chosen: UUID | None = None
        self._values: dict[UUID, str] = {}
        self.rungs: list[Rung] = []
        self._swept: tuple[int, int] | None = None
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Minimum)
        self.setAccessibleName("Registers of the device")
        look.changed.connect(self.update)

    def show_map(
        self, layout: engine.Layout, window: engine.Layout, values: dict[UUID, str], chosen: UUID | None
    ) -> None:
        """Show a register map; ``window`` is what the exchange in hand carries of it."""
        self._layout, self._values, self._chosen = layout, values, chosen
        self.rungs = make_rungs(layout, window)
        self.updateGeometry()
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(316, 40 + len(self.rungs) * self._ROW)

    minimumSizeHint = sizeHint

    def rung_rect(self, number: int) -> QRectF:
        """Return where a rung is drawn."""
        return QRectF(_MARGIN, 34 + number * self._ROW, self.width() - _MARGIN * 2, self._ROW - 3)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._layout is None or self._layout.registers is None:
            return
        theme, registers = look.theme, self._layout.registers
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        device = f"unit {registers.device}" if registers.space.functions else f"device 0x{registers.device or 0:02X}"
        words = f"{registers.space.words} of {device}, papers count from {registers.first}"
        draw_text(painter, QRectF(_MARGIN, 6, self.width() - 16, 16), words, text_font(TINY_PX), theme.quiet)
        # two rails, as a ladder has
        for x in (_MARGIN + 92.0, self.width() - _MARGIN * 1.0):
            painter.setPen(QPen(QColor(theme.rod), 2))
            painter.drawLine(QPointF(x, 30), QPointF(x, 36 + len(self.rungs) * self._ROW))
        for number, rung in enumerate(self.rungs):
            self._draw_rung(painter, number, rung)
        painter.end()

    def _draw_rung(self, painter: QPainter, number: int, rung: Rung) -> None:
        theme, box = look.theme, self.rung_rect(number)
        assert self._layout is not None and self._layout.registers is not None
        registers = self._layout.registers
        numbers = QRectF(box.left(), box.top() + 4, 88, 16)
        span = f"{registers.paper(rung.first)}" + (f"–{registers.paper(rung.last)}" if rung.last > rung.first else "")
        draw_text(painter, numbers, span, figure_font(SMALL_PX), theme.ink if rung.seen else theme.quiet)
        customary = registers.customary(rung.first)
        draw_text(painter, numbers, customary, figure_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
        body = box.adjusted(96, 1, -5, -1)
        if rung.field is None:
            self._draw_free(painter, number, rung, body)
            return
        color = theme.field(self._layout.fields.index(rung.field))
        chosen = rung.field.id == self._chosen
        painter.setPen(QPen(QColor(theme.zest) if chosen else faded(color, 0.5), 1.6 if chosen else 1))
        painter.setBrush(faded(color, 0.2 if rung.seen else 0.07))
        painter.drawRoundedRect(body, 5, 5)
        inner = body.adjusted(8, 3, -8, 0)
        value = self._values.get(rung.field.id, "")
        draw_text(painter, inner, value, figure_font(TINY_PX), theme.ink, Qt.AlignmentFlag.AlignRight)
        used = painter.fontMetrics().horizontalAdvance(value) + 8
        draw_text(painter, inner.adjusted(0, 0, -used, 0), rung.field.name, text_font(SMALL_PX), theme.ink)

    def _draw_free(self, painter: QPainter, number: int, rung: Rung, body: QRectF) -> None:
        """Draw registers nobody laid out; those that are being swept over, and those past the end, look it."""
        theme = look.theme
        first, last = sorted(self._swept) if self._swept is not None else (1, 0)
        chosen = first <= number <= last
        if chosen:
            painter.setPen(QPen(QColor(theme.zest), 1.4, Qt.PenStyle.DashLine))
            painter.setBrush(QColor(theme.selected))
            painter.drawRoundedRect(body, 5, 5)
        many = rung.last - rung.first + 1
        words = "past the end of the map" if rung.past_end else "free" if many == 1 else f"{many} free registers"
        color = theme.wrong if rung.past_end else theme.quiet
        draw_text(painter, body.adjusted(8, 3, 0, 0), words, text_font(TINY_PX), color)

    def _rung_at(self, point: QPointF) -> int:
        return next((n for n in range(len(self.rungs)) if self.rung_rect(n).contains(point)), -1)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        number = self._rung_at(event.position()) if event is not None else -1
        if number < 0:
            return
        rung = self.rungs[number]
        if rung.field is not None:
            self.rung_picked.emit(rung.field.id)
        elif not rung.past_end:
            self._swept = (number, number)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._swept is None:
            return
        number = self._rung_at(event.position())
        between = self.rungs[min(self._swept[0], number) : max(self._swept[0], number) + 1] if number >= 0 else []
        if between and all(rung.field is None and not rung.past_end for rung in between):
            self._swept = (self._swept[0], number)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._swept is None:
            return
        first, last = sorted(self._swept)
        self._swept = None
        self.update()
        # of a long free stretch that is one rung, its first register is meant
        end = self.rungs[last].first if first == last else self.rungs[last].last
        self.swept.emit(self.rungs[first].first, end)


_FREE_SHOWN = 3
"""Registers of a free stretch that are rungs of their own; the rest of it is one."""


def make_rungs(layout: engine.Layout, window: engine.Layout) -> list[Rung]:
    """Return the rungs of a map in order of register; what the exchange carries past its end comes last."""
    registers = layout.registers
    assert registers is not None
    width = registers.space.register_bits
    seen = {field.id for field in window.fields}
    placed = sorted(
        ((min(field.places.bits) // width, max(field.places.bits) // width, field) for field in layout.fields),
        key=lambda entry: (entry[0], entry[1]),
    )
    rungs: list[Rung] = []
    after = 0
    for first, last, field in placed:
        rungs += _free(after, first - 1)
        rungs.append(Rung(first, last, field, field.id in seen))
        after = max(after, last + 1)
    rungs += _free(after, registers.count - 1)
    end = _end_of(window)
    if registers.count and end > registers.count:
        rungs.append(Rung(registers.count, end - 1, None, True, past_end=True))
    return rungs


def _end_of(window: engine.Layout) -> int:
    """Return the register behind the last one that an exchange carries."""
    registers = window.registers
    if registers is None or registers.window is None:
        return 0
    bits = registers.space.register_bits
    # coils are filled up to whole bytes, so of them only whole spare bytes are past the end
    return registers.window + (window.size * 8 // bits if bits > 1 else max(window.size * 8 - 7, 0))


def past_end(layout: engine.Layout, window: engine.Layout) -> int:
    """Return how many registers an exchange carries past the end of the map, 0 if the map does not say its end."""
    assert layout.registers is not None
    return max(_end_of(window) - layout.registers.count, 0) if layout.registers.count else 0


def _free(first: int, last: int) -> list[Rung]:
    shown = [Rung(n, n, None, False) for n in range(first, min(last, first + _FREE_SHOWN - 1) + 1)]
    if last - first + 1 > _FREE_SHOWN:
        shown.append(Rung(first + _FREE_SHOWN, last, None, False))
    return shown
