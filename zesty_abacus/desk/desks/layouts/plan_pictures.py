"""The picture at the left of a plan: beads for fixed places, a strip where parts move, a ladder for a device."""

from __future__ import annotations

from collections.abc import Iterator
from uuid import UUID

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.parts import label
from .flow import FlowStrip
from .held_registers import HeldHere
from .ladder import AtCursor, RegisterLadder
from .plan_abacus import PlanAbacus

BEADS, STRIP, LADDER = range(3)
"""Which picture is shown."""


class PlanPictures(QWidget):
    """Where the fields of a layout lie, in the picture that suits it, with a word on what the hands can do there.

    Events
    ------
    scrolled
        What is shown stands elsewhere on the screen.
    """

    scrolled = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._layout: engine.Layout | None = None
        self._whole: engine.Layout | None = None
        self.abacus = PlanAbacus()
        self.flow = FlowStrip()
        self.ladder = RegisterLadder()
        self.held = HeldHere(session)
        self._stack = QStackedWidget()
        for picture in (self.abacus, self.flow, self.ladder):
            self._stack.addWidget(self._area_for(picture))
        self._hint = label("", "quiet", wrap=True)
        self._chosen: UUID | None = None
        self.held.changed.connect(self._show_ladder)
        self._hint.setMaximumWidth(230)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 6)
        column.addWidget(self._stack, 1)
        column.addWidget(self._hint)

    def _area_for(self, picture: QWidget) -> QScrollArea:
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(picture)
        bar = area.verticalScrollBar()
        if bar is not None:
            bar.valueChanged.connect(self.scrolled)
        return area

    @property
    def shown(self) -> int:
        """Which picture is shown: :data:`BEADS`, :data:`STRIP` or :data:`LADDER`."""
        return self._stack.currentIndex()

    def show_layout(self, layout: engine.Layout | None, whole: engine.Layout | None) -> None:
        """Choose the picture for a layout; ``whole`` is the register map that it is a window of."""
        self._layout, self._whole = layout, whole
        number = BEADS if layout is None else LADDER if whole is not None else STRIP if layout.moves else BEADS
        self._stack.setCurrentIndex(number)
        picture = (self.abacus, self.flow, self.ladder)[number]
        self._stack.setFixedWidth(picture.sizeHint().width() + 14)

    def show_frame(self, current: UUID | None, current_number: int) -> None:
        """Show the frame at the cursor in the strip, or the device's values there on the ladder.

        Parameters
        ----------
        current, current_number
            The open item, and its number among all fields; -1 if it is none of them.
        """
        session, layout = self._session, self._layout
        if layout is None or self.shown == BEADS:
            return
        if self._whole is not None:
            self._chosen = current
            self.held.look(self._whole)
            self._show_ladder()
            return
        kind = session.in_hand.kind
        at = session.store.frame_at(kind, layout, session.clock.cursor_ns) if kind is not None else None
        if at is not None:
            self.flow.show_frame(at.payload, at.owners, current_number)
        else:
            self.flow.show_frame(b"", np.zeros(0, np.int16), -1)

    def _show_ladder(self) -> None:
        if self._whole is not None and self._layout is not None and self.shown == LADDER:
            held = self.held.registers(self._whole)
            self.ladder.show_map(self._whole, self._layout, self._at_cursor(self._whole), held, self._chosen)

    def say_hint(self, is_open: bool) -> None:
        """Say what can be done in the picture, with a card open or none."""
        if self.shown == LADDER:
            bright = "Bright rungs are in this exchange. " if self._session.in_hand.kind is not None else ""
            hint = f"{bright}Click a rung to edit it; sweep free ones for a new field."
        elif self.shown == STRIP and self._session.in_hand.kind is None:
            hint = "Where bytes lie is seen in a frame, and none was recorded here."
        elif self.shown == STRIP:
            hint = "Colours say which field a byte belongs to in this frame. Click one to edit it."
        elif is_open:
            hint = "Drag the field by a bead to move it, by its end to stretch it; Alt splits. Esc closes it."
        else:
            hint = "Drag over free beads, then F makes a field. Drag a field by its beads; click opens it."
        self._hint.setText(hint)

    def beyond(self, y: float, target: QWidget) -> int:
        """Return -1 for what has scrolled out of the picture at its top, 1 at its bottom, 0 for what is in view.

        Parameters
        ----------
        y
            On ``target``.
        """
        area = self._stack
        top, bottom = area.mapTo(target, QPoint(0, 6)).y(), area.mapTo(target, QPoint(0, area.height() - 6)).y()
        return -1 if y < top else 1 if y > bottom else 0

    def threads_start(self, target: QWidget) -> Iterator[tuple[int, QPointF]]:
        """Yield the number of each field and where its thread leaves, or would if the picture were scrolled.

        Parameters
        ----------
        target
            The widget whose coordinates are wanted.
        """
        layout = self._layout
        edge = float(self._stack.mapTo(target, QPoint(self._stack.width() - 8, 0)).x())
        if layout is None:
            return
        if self._whole is not None:
            for number, rung in enumerate(self.ladder.rungs):
                if rung.field is not None:
                    y = self.ladder.mapTo(target, self.ladder.rung_rect(number).center().toPoint()).y()
                    yield self._whole.fields.index(rung.field), QPointF(edge, y)
        elif layout.moves:
            for number in range(len(list(layout.all_fields()))):
                box = self.flow.first_cell(number)
                if box is not None:
                    y = self.flow.mapTo(target, box.center().toPoint()).y()
                    yield number, QPointF(edge, y)
        else:
            for number, field in enumerate(layout.fields):
                numbers = field.places.byte_numbers()
                middle = sum(self.abacus.rods.bead_center(byte * 8).y() for byte in numbers) / len(numbers)
                yield number, QPointF(self.abacus.mapTo(target, QPoint(int(self.abacus.rods.end), int(middle))))

    def _at_cursor(self, whole: engine.Layout) -> AtCursor:
        """Return the last known value of every register of the map, from all exchanges that carry a part of it."""
        session = self._session
        fields: dict[UUID, tuple[int, str]] = {}
        carried: list[tuple[int, engine.Layout, bytes]] = []
        for kind, window in session.reading.shown_by(whole.id):
            at = session.store.frame_at(kind, window, session.clock.cursor_ns)
            if at is None or at.decoded is None:
                continue
            carried.append((at.time_ns, window, at.payload))
            for key, column in at.decoded.columns.items():
                if column.has_value[0] and at.time_ns >= fields.get(key, (at.time_ns, ""))[0]:
                    fields[key] = at.time_ns, engine.wording.value_text(column, 0)
        registers: dict[int, int] = {}
        for _, window, payload in sorted(carried, key=lambda one: one[0]):
            registers |= _numbers(window, payload)
        return AtCursor({key: text for key, (_, text) in fields.items()}, registers)


def _numbers(window: engine.Layout, payload: bytes) -> dict[int, int]:
    """Return the number in each register that an exchange carries; nothing of such as have less than a byte."""
    registers = window.registers
    size = registers.space.register_bits // 8 if registers is not None else 0
    if registers is None or registers.window is None or not size:
        return {}
    whole = payload[: len(payload) // size * size]
    return dict(enumerate(np.frombuffer(whole, f">u{size}").tolist(), registers.window))
