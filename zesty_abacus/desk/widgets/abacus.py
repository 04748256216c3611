"""The abacus: a payload as rods with eight beads, and beside each rod the history of its bits.

A full bead is 1, a ring is 0; the colour is the owning field's. A bit that moves and that nobody explains
has a dotted ring or a notched bead; a bit that never moved is a small dot on the rod. The same widget reads,
selects and lays out.
"""

from __future__ import annotations

import enum
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from .parts import USES_SPACE
from .theme import SMALL_PX, TINY_PX, Theme, faded, figure_font, look, text_font

BEAD_STEP = 20.0
_LABEL_WIDTH = 44.0
_VALUE_WIDTH = 40.0
_TOP = 22.0
_TALLEST_ROD = 39.0
_LOWEST_ROD = 22.0


class Drawing(enum.Enum):
    """What the beads show."""

    VALUES = "values"
    """Full for 1, ring for 0."""
    PLACES = "places"
    """Full for a bit with a field, whatever its value."""


@dataclass(frozen=True, slots=True, eq=False)
class AbacusState:
    """Everything the abacus draws, prepared by whoever owns it.

    Attributes
    ----------
    size
        Payload bytes.
    payload
        Bytes at the cursor; shorter than ``size`` where the frame is.
    moves : bool (size * 8,)
        Which bits ever change.
    owners : int16 (size * 8,)
        Field number of each bit, -1 for none.
    wrong
        Bits that are part of a problem, drawn with a brick ring.
    marked
        Bits to look at, drawn with a zest ring.
    """

    size: int = 0
    payload: bytes = b""
    moves: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(0, np.bool_))
    owners: NDArray[np.int16] = field(default_factory=lambda: np.zeros(0, np.int16))
    wrong: frozenset[int] = frozenset()
    marked: frozenset[int] = frozenset()


class Abacus(QWidget):
    """Rods and beads; selection by mouse and keys.

    Drag selects in reading order across rods; with Shift a rectangle of beads; with Ctrl it adds or takes
    away. A click on a byte's name selects the byte, a double click on a bead its whole field. Arrow keys move
    the focus, with Shift they select, Space turns one bit.

    Events
    ------
    selecting
        (bits) while the mouse is still down.
    selected
        (bits) when the selection is done.
    hovered
        (bit, -1 for none) for words about the bead under the pointer.
    pointed
        (bit, where on the screen) somebody asks what may be asked of it.
    """

    selecting = pyqtSignal(object)
    selected = pyqtSignal(object)
    hovered = pyqtSignal(int)
    pointed = pyqtSignal(int, QPoint)

    def __init__(self, drawing: Drawing = Drawing.VALUES) -> None:
        super().__init__()
        self._drawing = drawing
        self._state = AbacusState()
        self._bits: frozenset[int] = frozenset()
        self._anchor: int | None = None
        self._kept: frozenset[int] = frozenset()
        self._focus_bit = 7
        self._key_anchor: int | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setProperty(USES_SPACE, True)
        self.setAccessibleName("Abacus")
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        values = _VALUE_WIDTH if self._drawing is Drawing.VALUES else 12
        return QSize(
            int(_LABEL_WIDTH + 8 * BEAD_STEP + values + 8), int(_TOP + max(self._state.size, 4) * _LOWEST_ROD + 8)
        )

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    @property
    def bits(self) -> frozenset[int]:
        """The selected bits."""
        return self._bits

    def show_state(self, state: AbacusState) -> None:
        """Draw another payload or other owners."""
        resized = state.size != self._state.size
        self._state = state
        if resized:
            self._focus_bit = 7
            self.updateGeometry()
        self.update()

    def show_bits(self, bits: frozenset[int]) -> None:
        """Show a selection made elsewhere; tells nobody."""
        self._bits = bits
        self.setAccessibleDescription(f"{len(bits)} bits selected" if bits else "no bit selected")
        self.update()

    # geometry

    def rod_height(self) -> float:
        """Return the distance from rod to rod."""
        if not self._state.size:
            return _TALLEST_ROD
        return min(max((self.height() - _TOP - 4) / self._state.size, _LOWEST_ROD), _TALLEST_ROD)

    def rod_top(self, byte: int) -> float:
        """Return where a byte's row begins."""
        return _TOP + byte * self.rod_height()

    def bead_center(self, bit: int) -> QPointF:
        """Return the middle of a bead in the widget."""
        byte, inner = divmod(bit, 8)
        x = _LABEL_WIDTH + (7 - inner) * BEAD_STEP + BEAD_STEP / 2
        return QPointF(x, self.rod_top(byte) + self.rod_height() / 2)

    def rod_end(self) -> float:
        """Return the x where rods end and threads begin."""
        return _LABEL_WIDTH + 8 * BEAD_STEP + 4

    def bit_at(self, point: QPointF, *, nearest: bool = False) -> int:
        """Return the bit under a point, -1 for none; ``nearest`` takes the closest bead."""
        column = int((point.x() - _LABEL_WIDTH) // BEAD_STEP)
        byte = int((point.y() - _TOP) // self.rod_height())
        if nearest:
            column = min(max(column, 0), 7)
            byte = min(max(byte, 0), self._state.size - 1)
        if 0 <= column < 8 and 0 <= byte < self._state.size:
            return byte * 8 + 7 - column
        return -1

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = look.theme
        self._draw_heads(painter, theme)
        self._draw_selection(painter, theme)
        for byte in range(self._state.size):
            self._draw_rod(painter, theme, byte)
        if self.hasFocus() and self._state.size:
            center = self.bead_center(self._focus_bit)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.zest), 1, Qt.PenStyle.DotLine))
            painter.drawRoundedRect(QRectF(center.x() - 9.5, center.y() - 10, 19, 20), 5, 5)
        painter.end()

    def _draw_heads(self, painter: QPainter, theme: Theme) -> None:
        painter.setFont(text_font(TINY_PX))
        painter.setPen(QColor(theme.quiet))
        for inner in range(8):
            x = _LABEL_WIDTH + (7 - inner) * BEAD_STEP
            painter.drawText(QRectF(x, 2, BEAD_STEP, 16), Qt.AlignmentFlag.AlignCenter, str(inner))
        painter.drawText(QRectF(4, 2, _LABEL_WIDTH - 8, 16), Qt.AlignmentFlag.AlignLeft, "bit")

    def _draw_selection(self, painter: QPainter, theme: Theme) -> None:
        if not self._bits:
            return
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.selected))
        height = self.rod_height()
        for bit in self._bits:
            if bit < self._state.size * 8:
                center = self.bead_center(bit)
                painter.drawRect(QRectF(center.x() - BEAD_STEP / 2, center.y() - height / 2, BEAD_STEP, height))
        painter.setPen(QPen(QColor(theme.zest), 1.3, Qt.PenStyle.DashLine))
        for first, last in self._selection_edges():
            painter.drawLine(first, last)

    def _selection_edges(self) -> list[tuple[QPointF, QPointF]]:
        """Return the outline of the selected beads, edge by edge."""
        edges = []
        half, height = BEAD_STEP / 2, self.rod_height() / 2
        for bit in self._bits:
            if bit >= self._state.size * 8:
                continue
            c = self.bead_center(bit)
            left, right, top, bottom = c.x() - half, c.x() + half, c.y() - height, c.y() + height
            neighbours = (
                (bit % 8 < 7 and bit + 1 in self._bits, QPointF(left, top), QPointF(left, bottom)),
                (bit % 8 > 0 and bit - 1 in self._bits, QPointF(right, top), QPointF(right, bottom)),
                (bit - 8 in self._bits, QPointF(left, top), QPointF(right, top)),
                (bit + 8 in self._bits, QPointF(left, bottom), QPointF(right, bottom)),
            )
            edges += [(first, last) for inside, first, last in neighbours if not inside]
        return edges

    def _draw_rod(self, painter: QPainter, theme: Theme, byte: int) -> None:
        y = self.bead_center(byte * 8).y()
        painter.setPen(QColor(theme.quiet))
        painter.setFont(figure_font(SMALL_PX))
        painter.drawText(QRectF(8, y - 9, _LABEL_WIDTH - 12, 18), Qt.AlignmentFlag.AlignVCenter, f"B{byte}")
        painter.setPen(QPen(QColor(theme.rod), 2.4))
        painter.drawLine(QPointF(_LABEL_WIDTH, y), QPointF(self.rod_end(), y))
        here = byte < len(self._state.payload)
        value = self._state.payload[byte] if here else 0
        for inner in range(8):
            self._draw_bead(painter, theme, byte * 8 + inner, bool(value >> inner & 1))
        if self._drawing is Drawing.VALUES:
            painter.setPen(QColor(theme.ink if here else theme.quiet))
            painter.setFont(figure_font(SMALL_PX, bold=True))
            box = QRectF(self.rod_end() + 8, y - 9, _VALUE_WIDTH, 18)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, f"{value:02X}" if here else "–")

    def _draw_bead(self, painter: QPainter, theme: Theme, bit: int, one: bool) -> None:
        center = self.bead_center(bit)
        radius = min(7.0, self.rod_height() / 2 - 3)
        owner = int(self._state.owners[bit]) if bit < len(self._state.owners) else -1
        moves = bool(self._state.moves[bit]) if bit < len(self._state.moves) else False
        chosen = bit in self._bits
        if self._drawing is Drawing.PLACES:
            one = True
        if owner < 0 and not moves and not chosen:
            painter.setPen(Qt.PenStyle.NoPen)
            still_one = one and self._drawing is Drawing.VALUES
            painter.setBrush(QColor(theme.quiet if still_one else theme.rod))
            painter.drawEllipse(center, 3.4, 3.4)
            return
        if owner >= 0:
            color = theme.field(owner)
        else:
            color = QColor(theme.zest if chosen else theme.unexplained)
        if owner < 0 and moves and not chosen:
            self._draw_unexplained(painter, theme, center, radius, color, one)
        else:
            painter.setPen(QPen(color, 1.8))
            painter.setBrush(color if one else QColor(theme.panel))
            painter.drawEllipse(center, radius, radius)
        if bit in self._state.wrong or bit in self._state.marked:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.wrong if bit in self._state.wrong else theme.zest), 1.6))
            painter.drawEllipse(center, radius + 2.5, radius + 2.5)

    def _draw_unexplained(
        self, painter: QPainter, theme: Theme, center: QPointF, radius: float, color: QColor, one: bool
    ) -> None:
        if one and self._drawing is Drawing.VALUES:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(color)
            painter.drawPolygon(_notched(center, radius + 0.5))
            return
        painter.setPen(QPen(color, 1.6, Qt.PenStyle.DotLine))
        painter.setBrush(QColor(theme.panel))
        painter.drawEllipse(center, radius, radius)

    # mouse

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self._state.size:
            return
        self.setFocus()
        point = event.position()
        byte = int((point.y() - _TOP) // self.rod_height())
        bit = self.bit_at(point)
        toggles = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        self._kept = self._bits if toggles else frozenset()
        if bit < 0:
            if 0 <= point.x() < _LABEL_WIDTH and 0 <= byte < self._state.size:
                self._finish(self._kept ^ frozenset(range(byte * 8, byte * 8 + 8)))
            else:
                self._finish(frozenset())
            return
        self._anchor = self._focus_bit = bit
        self._select_to(bit, event.modifiers())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self._state.size:
            return
        if self._anchor is None:
            self.hovered.emit(self.bit_at(event.position()))
            return
        self._select_to(self.bit_at(event.position(), nearest=True), event.modifiers())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._anchor is not None:
            self._anchor = None
            self._finish(self._bits)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        bit = self.bit_at(QPointF(event.pos())) if event is not None else -1
        if event is not None and bit >= 0:
            self.pointed.emit(bit, event.globalPos())

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        bit = self.bit_at(event.position()) if event is not None else -1
        if bit >= 0 and bit < len(self._state.owners) and self._state.owners[bit] >= 0:
            self._anchor = None
            same = np.flatnonzero(self._state.owners == self._state.owners[bit])
            self._finish(frozenset(int(number) for number in same))

    def _select_to(self, bit: int, modifiers: Qt.KeyboardModifier) -> None:
        if self._anchor is None:
            return
        boxed = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        swept = swept_bits(self._anchor, bit, boxed=boxed)
        self._bits = self._kept ^ swept if len(swept) == 1 else self._kept | swept
        self.selecting.emit(self._bits)
        self.update()

    def _finish(self, bits: frozenset[int]) -> None:
        self.show_bits(bits)
        self.selected.emit(bits)

    # keys

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self._state.size:
            return
        moves = {Qt.Key.Key_Left: 1, Qt.Key.Key_Right: -1, Qt.Key.Key_Up: -8, Qt.Key.Key_Down: 8}
        step = moves.get(Qt.Key(event.key()))
        if step is not None:
            self._move_focus(step, selects=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif event.key() == Qt.Key.Key_Space:
            self._finish(self._bits ^ {self._focus_bit})
        elif event.key() == Qt.Key.Key_Escape and self._bits:
            self._finish(frozenset())
        else:
            super().keyPressEvent(event)

    def _move_focus(self, step: int, *, selects: bool) -> None:
        before = self._focus_bit
        if abs(step) == 8:
            bit = before + step
        else:
            # along the rod and on to the next one, as the eye reads
            order = _reading_number(before) - step
            bit = order // 8 * 8 + 7 - order % 8
        if not 0 <= bit < self._state.size * 8:
            return
        self._focus_bit = bit
        if selects:
            if self._key_anchor is None:
                self._key_anchor = before
            self._finish(swept_bits(self._key_anchor, bit, boxed=False))
        else:
            self._key_anchor = None
        self.hovered.emit(bit)
        self.update()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self.update()


def swept_bits(first: int, last: int, *, boxed: bool) -> frozenset[int]:
    """Return the bits from one bead to another: in reading order, or the rectangle between them."""
    if boxed:
        top, bottom = sorted((first // 8, last // 8))
        low, high = sorted((first % 8, last % 8))
        return frozenset(b * 8 + n for b in range(top, bottom + 1) for n in range(low, high + 1))
    begin, end = sorted((_reading_number(first), _reading_number(last)))
    return frozenset(n // 8 * 8 + 7 - n % 8 for n in range(begin, end + 1))


def _reading_number(bit: int) -> int:
    return bit // 8 * 8 + 7 - bit % 8


def _notched(center: QPointF, radius: float) -> QPolygonF:
    """Return a bead with a notched rim, which reads as 'not explained' without its colour."""
    points = []
    for n in range(20):
        angle = n * np.pi / 10
        r = radius if n % 2 else radius - 1.6
        points.append(QPointF(center.x() + r * np.cos(angle), center.y() + r * np.sin(angle)))
    return QPolygonF(points)


def history_image(
    picture: NDArray[np.float32],
    owners: NDArray[np.int16],
    bits: frozenset[int],
    moves: NDArray[np.bool_],
    rod_height: int,
) -> QImage:
    """Paint bit histories: one thin line a bit, dark is 1, the tone is the share of ones.

    Parameters
    ----------
    picture : float32 (size * 8, columns)
        As :meth:`~zesty_abacus.core.frames.activity.BitHistory.picture` gives it: highest bit of a byte first.
    rod_height
        Pixels from rod to rod; each bit gets an eighth of it, the lowest part of the row stays free.
    """
    theme = look.theme
    rows, columns = picture.shape
    line = max((rod_height - 4) // 8, 1)
    image = np.zeros((rows // 8 * rod_height, columns, 4), np.uint8)
    shade = np.nan_to_num(picture, nan=0.0)
    for row in range(rows):
        byte, place = divmod(row, 8)
        bit = byte * 8 + 7 - place
        color = _history_color(theme, bit, owners, bits, moves)
        top = byte * rod_height + place * line + 2
        alpha = np.where(np.isnan(picture[row]), 0, 22 + shade[row] * 213).astype(np.uint8)
        thick = max(line - 1, 1)
        image[top : top + thick, :, 0] = color.red()
        image[top : top + thick, :, 1] = color.green()
        image[top : top + thick, :, 2] = color.blue()
        image[top : top + thick, :, 3] = alpha
    return QImage(image.tobytes(), columns, image.shape[0], columns * 4, QImage.Format.Format_RGBA8888).copy()


def _history_color(
    theme: Theme, bit: int, owners: NDArray[np.int16], bits: frozenset[int], moves: NDArray[np.bool_]
) -> QColor:
    if bit in bits:
        return QColor(theme.zest)
    if bit < len(owners) and owners[bit] >= 0:
        return theme.field(int(owners[bit]))
    if bit < len(moves) and not moves[bit]:
        return faded(theme.rod, 1.0)
    return QColor(theme.unexplained)
