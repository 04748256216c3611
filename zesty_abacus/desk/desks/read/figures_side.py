"""Figures of the traces in view: extremes, mean, rate, states, differences to the pin, how references agree."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QGridLayout, QWidget

from ...app.doors import engine, seen
from ...app.session import Session
from ...app.traces import Trace
from ...widgets.parts import Panel, button, label, one_shot
from ...widgets.theme import figure_font, look, text_font
from ...widgets.words import grouped, span_text
from .trace_overlays import TraceOverlays

_SETTLED_MS = 60
"""The cursor moves many times a second, and nobody reads figures that fast."""


class FiguresSide(Panel):
    """A block a trace. Extremes are places to go to."""

    def __init__(self, session: Session) -> None:
        super().__init__("Figures")
        self.head.hide()
        self._session = session
        self._overlays = TraceOverlays(session)
        self.span = label("", "quiet")
        self.cells: dict[tuple[Trace, str], str] = {}
        self._soon = one_shot(self, _SETTLED_MS, self.refresh)
        for event in (session.figures.changed, session.overlays.changed, session.clock.pin_changed):
            event.connect(self.refresh)
        session.clock.cursor_changed.connect(self._on_cursor)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._session.figures.want(True)
        self.refresh()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self._session.figures.want(False)

    def _on_cursor(self) -> None:
        if self._session.clock.pin_ns is not None and self.isVisible():
            self._soon.start()

    def refresh(self) -> None:
        """Show the figures of all traces anew."""
        if not self.isVisible():
            return
        self.clear()
        self.cells = {}
        session = self._session
        clock = session.clock
        shown = [trace for trace in session.traces.shown if trace in session.figures.of]
        if not shown:
            self.body.addWidget(label("Pick fields in the readout to have figures of them.", "quiet", wrap=True))
        else:
            words = f"in view: {clock.words(clock.view_first_ns)} s to {clock.words(clock.view_last_ns)} s"
            self.body.addWidget(label(words, "quiet", wrap=True))
        for trace in shown:
            self._add(trace, session.figures.of[trace])
        self.body.addStretch(1)

    def _add(self, trace: Trace, found: seen.Statistics) -> None:
        session, theme = self._session, look.theme
        field = session.traces.field(trace)
        if field is None:
            return
        number = session.traces.shown.index(trace)
        color = theme.field_text(number)
        name = label(f"{field.name} {field.unit}".strip())
        name.setFont(text_font(bold=True))
        name.setStyleSheet(f"color: {color.name()}")
        self.body.addWidget(name)
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 4)
        grid.setVerticalSpacing(1)
        grid.setColumnStretch(1, 1)
        for row, (words, value, place) in enumerate(self._rows(trace, field, found)):
            self.cells[trace, words] = value
            grid.addWidget(label(words, "quiet"), row, 0)
            if place is None:
                # in a narrow window several figures go on in the next line
                said = label(value, selectable=True, wrap=True)
                said.setAlignment(Qt.AlignmentFlag.AlignRight)
                said.setFont(figure_font())
                grid.addWidget(said, row, 1)
                continue
            there = button(value, "Go there", link=True)
            there.clicked.connect(partial(session.clock.set_cursor, place, follow=True))
            there.setFont(figure_font())
            grid.addWidget(there, row, 1, Qt.AlignmentFlag.AlignRight)
        self.body.addWidget(holder)
        for words in self._overlays.words(trace):
            self.body.addWidget(label(words, wrap=True, selectable=True))

    def _rows(self, trace: Trace, field: engine.Field, found: seen.Statistics) -> list[tuple[str, str, int | None]]:
        """Return words, value, and where it is, of each figure."""
        rows: list[tuple[str, str, int | None]] = []
        if found.states:
            rows += [(name, f"{seconds:.3g} s", None) for name, seconds in found.states]
        elif found.count:
            digits = min(engine.wording.decimals_of(field), 3)
            text = engine.wording.number_text
            rows += [
                ("least", text(found.least, digits), found.least_ns), ("most", text(found.most, digits), found.most_ns),
                ("mean", text(found.mean, digits + 1), None), ("deviation", text(found.deviation, digits + 1), None),
            ]  # fmt: skip
            rows += self._to_pin(trace, digits)
        rate = "" if np.isnan(found.rate_hz) else f", {found.rate_hz:.3g} a second"
        rows.append(("values", f"{grouped(found.count)}{rate}", None))
        return rows

    def _to_pin(self, trace: Trace, digits: int) -> list[tuple[str, str, int | None]]:
        """Return how much a value has changed from the pin to the cursor."""
        clock = self._session.clock
        curve = self._session.figures.curve(trace)
        if clock.pin_ns is None or curve is None:
            return []
        at_pin, at_cursor = curve[1].at(clock.pin_ns), curve[1].at(clock.cursor_ns)
        if np.isnan(at_pin) or np.isnan(at_cursor):
            return []
        text = engine.wording.number_text(float(at_cursor - at_pin), digits)
        return [(f"from pin, {span_text(clock.cursor_ns - clock.pin_ns)}", text, clock.pin_ns)]
