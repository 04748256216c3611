"""The panel at the right of Unravel: what is known about the selection, and keeping it as a field."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFormLayout, QFrame, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.parts import Panel, button, clear_layout, hairline, label
from ...widgets.theme import figure_font, text_font
from ...widgets.when_shown import WhenShown
from ...widgets.words import counted, share_text


class KeepPanel(Panel):
    """Says how the selected bits live and makes the chosen reading a field of the message."""

    def __init__(self, session: Session) -> None:
        super().__init__("Selection")
        self._session = session
        self._reading: engine.ReadingCurve | None = None
        self.facts = label("", wrap=True)
        self.card = QFrame()
        self.card.setObjectName("card")
        self.message = self._line("Message", "such as Hull motion")
        self.field = self._line("Field", "such as water speed")
        self.step = self._line("Step", "1", figures=True)
        self.offset = self._line("Offset", "0", figures=True)
        self.unit = self._line("Unit", "such as kn")
        self.why = self._line("Why", "what convinced you")
        self.reading_words = label("", "quiet", wrap=True)
        self.value = label("", selectable=True)
        self.value.setFont(figure_font(15, bold=True))
        self.problem = label("", "wrong", wrap=True)
        self.keep = button("Keep as field", "Keep the chosen reading in the library (K)", main=True)
        self.known = QVBoxLayout()
        self._build()
        self._connect()

    def _line(self, name: str, hint: str, *, figures: bool = False) -> QLineEdit:
        made = QLineEdit()
        made.setPlaceholderText(hint)
        made.setAccessibleName(name)
        made.setMaxLength(200)
        if figures:
            made.setFont(figure_font())
        return made

    def _build(self) -> None:
        self.body.addWidget(self.facts)
        form = QFormLayout()
        form.setContentsMargins(0, 4, 0, 4)
        form.setVerticalSpacing(6)
        form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self._message_label = label("Message", "quiet")
        form.addRow(self._message_label, self.message)
        for name, line in (("Field", self.field), ("Step", self.step), ("Offset", self.offset), ("Unit", self.unit),
                           ("Why", self.why)):  # fmt: skip
            form.addRow(label(name, "quiet"), line)
        inner = QVBoxLayout(self.card)
        inner.setContentsMargins(11, 9, 11, 11)
        heading = label("Keep this reading")
        heading.setFont(text_font(bold=True))
        inner.addWidget(heading)
        inner.addWidget(self.reading_words)
        inner.addWidget(self.value)
        inner.addLayout(form)
        inner.addWidget(self.problem)
        inner.addWidget(self.keep, 0, Qt.AlignmentFlag.AlignLeft)
        self.body.addWidget(self.card)
        self.body.addSpacing(4)
        self.body.addLayout(self.known)
        self.body.addStretch(1)
        self.card.hide()

    def _connect(self) -> None:
        session = self._session
        explained = session.reading.counts.changed
        refresh = WhenShown(self, self._refresh).refresh
        for event in (
            session.in_hand.bits_changed,
            session.in_hand.changed,
            session.layouts_changed,
            explained,
            session.opened,
        ):
            event.connect(refresh)
        refresh()
        session.clock.cursor_changed.connect(self._show_value)
        for line in (self.step, self.offset, self.unit, self.field, self.message):
            line.textChanged.connect(self._show_value)
            line.returnPressed.connect(self.keep_field)
        self.why.returnPressed.connect(self.keep_field)
        self.keep.clicked.connect(self.keep_field)

    def show_reading(self, reading: engine.ReadingCurve | None) -> None:
        """Offer another reading of the selection."""
        self._reading = reading
        self.card.setVisible(reading is not None)
        if reading is not None:
            words = reading.reading.words
            frames = len(reading.reading.column)
            self.reading_words.setText(f"{reading.reading.field.places} · {words}")
            largest = reading.reading.smoothness.largest_step
            said = f"smooth, largest step {largest:.1%} of its range" if largest < 0.2 else "read"
            self.why.setPlaceholderText(f"{words}; {said} in {counted(frames, 'frame')}")
        self._show_value()

    def field_wanted(self) -> engine.Field:
        """Return the field that the form describes.

        Raises
        ------
        AbacusError
            If a number cannot be read.
        """
        assert self._reading is not None
        base = self._reading.reading.field
        return msgspec.structs.replace(
            base,
            name=self.field.text().strip(),
            ratio=engine.parse_exact(self.step.text() or "1"),
            offset=engine.parse_exact(self.offset.text() or "0"),
            unit=self.unit.text().strip(),
        )

    def layout_wanted(self) -> engine.Layout:
        """Return the message's layout with the new field."""
        session = self._session
        assert session.in_hand.kind is not None
        layout = session.kinds.layout_for_new_field(session.in_hand.kind, self.message.text().strip())
        return layout.with_field(self.field_wanted())

    def keep_field(self) -> bool:
        """Keep the field; say what is missing if it cannot be kept. Return whether it was kept."""
        session = self._session
        if self._reading is None or session.in_hand.kind is None:
            session.told.emit("", "Select bits on the abacus first.")
            return False
        problem = self._find_problem()
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))
        if problem:
            (self.message if not self.message.text() and self.message.isVisible() else self.field).setFocus()
            return False
        layout = self.layout_wanted()
        why = self.why.text().strip() or self.why.placeholderText()
        field = layout.fields[-1] if len(layout.fields) == 1 else layout.field_named(self.field.text().strip())
        assert field is not None
        if not session.edits.change(layout, f"{field.name} found at {field.places}: {why}"):
            return False
        session.told.emit("good", f"{layout.name}.{field.name} is kept in {session.library.name}.")
        for line in (self.message, self.field, self.step, self.offset, self.unit, self.why):
            line.clear()
        session.in_hand.select_bits(frozenset())
        return True

    def _find_problem(self) -> str:
        if self.message.isVisible() and not self.message.text().strip():
            return "Give the message a name; it has none yet."
        if not self.field.text().strip():
            return "Give the field a name."
        try:
            problems = engine.check_layout(self.layout_wanted())
        except engine.AbacusError as error:
            return str(error)
        return problems[0].sentence if problems else ""

    def _refresh(self) -> None:
        session = self._session
        if session.capture is None or session.in_hand.kind is None:
            self.note.setText("")
            self.facts.setText("Choose a message in the roster. Those nobody has named are good to begin with.")
            self.card.hide()
            clear_layout(self.known)
            return
        self.note.setText("")
        self.facts.setText(self._facts())
        named = session.reading.layout_of(session.in_hand.kind) is not None
        self.message.setVisible(not named)
        self._message_label.setVisible(not named)
        self._show_known()

    def _facts(self) -> str:
        session = self._session
        kind = session.in_hand.kind
        if kind is None or kind >= len(session.reading.counts.activities):
            return ""
        activity = session.reading.counts.activities[kind]
        moving = int(activity.moves.sum())
        chosen = np.array(sorted(bit for bit in session.in_hand.bits if bit < activity.size * 8), np.int64)
        if not len(chosen):
            still = activity.size * 8 - moving
            return (
                f"{moving} bits of this message move, {still} never do, in {counted(activity.frames, 'frame')}. "
                "Drag over beads to select bits."
            )
        flips = activity.flips[chosen]
        busiest = int(chosen[flips.argmax()])
        share = share_text(float(flips.max()), max(activity.frames - 1, 1))
        silent = int((flips == 0).sum())
        name = engine.bit_name(busiest)
        text = f"{engine.bits_in_words(session.in_hand.bits)}. "
        if silent == len(chosen):
            return text + f"None of them changed in {counted(activity.frames, 'frame')}."
        text += f"{name} moves most: in {share} of frames"
        return text + (f"; {silent} never {'moves' if silent == 1 else 'move'}." if silent else "; all of them move.")

    def _show_value(self) -> None:
        session = self._session
        self.problem.hide()
        if self._reading is None:
            return
        column = self._reading.reading.column
        row = int(self._reading.curve.time_ns.searchsorted(session.clock.cursor_ns, side="right")) - 1
        if row < 0 or column.value is None:
            self.value.setText(column.text_of(row) if row >= 0 else "–")
            return
        try:
            field = self.field_wanted()
        except engine.AbacusError as error:
            self.value.setText("–")
            self.problem.setText(str(error))
            self.problem.show()
            return
        value = float(column.value[row]) * float(field.ratio) + float(field.offset)
        text = engine.wording.number_text(value, engine.wording.decimals_of(field))
        self.value.setText(f"{text} {field.unit}".strip())

    def _show_known(self) -> None:
        """List the fields of the message; a click selects a field's bits."""
        clear_layout(self.known)
        session = self._session
        layout = session.reading.layout_of(session.in_hand.kind)
        if layout is None or not layout.fields:
            return
        self.known.addWidget(hairline())
        self.known.addWidget(label(f"Explained in {layout.name}", "section", wrap=True))
        for field in layout.fields:
            self.known.addWidget(self._known_row(field))

    def _known_row(self, field: Any) -> QWidget:
        words = engine.wording.places_words(field)
        row = button(f"{field.name}   {field.places}", f"{words}: select its bits", link=True)
        row.clicked.connect(lambda: self._session.in_hand.select_bits(frozenset(field.places.bits)))
        return row
