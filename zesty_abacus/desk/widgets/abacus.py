"""The abacus: a payload as rods with eight beads, and beside each rod the history of its bits.

A full bead is 1, a ring is 0; the colour is the owning field's. A bit that moves and that nobody explains
has a dotted ring or a notched bead; a bit that never moved is a small dot on the rod. The same widget reads,
selects and lays out.
"""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from .beads import BEAD_STEP, LABEL_WIDTH, LOWEST_ROD, TOP, VALUE_WIDTH, AbacusPicture, AbacusState, Drawing, Rods
from .parts import USES_SPACE
from .theme import look
from .words import counted


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
        values = VALUE_WIDTH if self._drawing is Drawing.VALUES else 12
        return QSize(
            int(LABEL_WIDTH + 8 * BEAD_STEP + values + 8), int(TOP + max(self._state.size, 4) * LOWEST_ROD + 8)
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
        self.setAccessibleDescription(f"{counted(len(bits), 'bit')} selected" if bits else "no bit selected")
        self.update()

    @property
    def rods(self) -> Rods:
        """Where rods and beads stand now."""
        return Rods(self._state.size, self.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        picture = AbacusPicture(painter, self.rods, self._state, self._bits, self._drawing)
        picture.draw()
        if self.hasFocus() and self._state.size:
            picture.draw_focus(self._focus_bit)
        painter.end()

    # mouse

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or not self._state.size:
            return
        self.setFocus()
        point = event.position()
        bit = self.rods.bit_at(point)
        toggles = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        self._kept = self._bits if toggles else frozenset()
        if bit < 0:
            byte = self.rods.byte_at(point)
            if 0 <= point.x() < LABEL_WIDTH and byte >= 0:
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
            self.hovered.emit(self.rods.bit_at(event.position()))
            return
        self._select_to(self.rods.bit_at(event.position(), nearest=True), event.modifiers())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._anchor is not None:
            self._anchor = None
            self._finish(self._bits)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        bit = self.rods.bit_at(QPointF(event.pos())) if event is not None else -1
        if event is not None and bit >= 0:
            self.pointed.emit(bit, event.globalPos())

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        bit = self.rods.bit_at(event.position()) if event is not None else -1
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
