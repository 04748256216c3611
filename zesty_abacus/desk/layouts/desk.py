"""Puts the Layouts desk together."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ..session import Session
from ..theme import figure_font, text_font
from ..widgets.abacus import AbacusState
from ..widgets.parts import DeskHead, button, hairline, label
from .history_panel import HistoryPanel
from .plan import PlanView
from .tried import TriedTable

if TYPE_CHECKING:
    from .. import engine as heavy


class LayoutsDesk(QWidget):
    """The plan above; tried on the capture and the message's head below; history at the right.

    Attributes
    ----------
    side
        The panel for the right side.
    """

    name = "Layouts"

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.head = DeskHead()
        self.plan = PlanView(session)
        self.tried = TriedTable(session)
        self.message = MessageForm(session)
        self.side = HistoryPanel(session)
        self.add = button("New field", "Make a field of the selected beads (F)")
        self.turn = button("Turn order", "Turn the byte order of the open field round (O)")
        self.remove = button("Remove field", "Remove the open field (Shift Delete)")
        for action in (self.add, self.turn, self.remove):
            self.head.row.addWidget(action)
        self.begin = button("Begin a layout for this message", "", main=True)
        self._stack = QStackedWidget()
        self._stack.addWidget(self._empty())
        self._stack.addWidget(self._work_area())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(hairline())
        column.addWidget(self._stack, 1)
        self._connect()
        self._refresh()

    def _empty(self) -> QWidget:
        empty = QWidget()
        column = QVBoxLayout(empty)
        column.addStretch(1)
        self.empty_words = label("", "quiet")
        self.empty_words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(self.empty_words)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.begin)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(2)
        return empty

    def _work_area(self) -> QWidget:
        lower = QWidget()
        row = QHBoxLayout(lower)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        row.addWidget(self.tried, 3, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self.message, 2, Qt.AlignmentFlag.AlignTop)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(lower)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setHandleWidth(1)
        split.setChildrenCollapsible(False)
        split.addWidget(self.plan)
        split.addWidget(scroll)
        split.setSizes([360, 230])
        return split

    def _connect(self) -> None:
        session = self._session
        self.add.clicked.connect(self.add_field)
        self.turn.clicked.connect(self.turn_order)
        self.remove.clicked.connect(self.remove_field)
        self.begin.clicked.connect(self._begin_layout)
        self.plan.edited.connect(self._on_edited)
        self.plan.field_picked.connect(lambda _id: self._show_actions())
        self.plan.abacus.selected.connect(lambda _bits: self._show_actions())
        session.kind_changed.connect(lambda: self.plan.pick(None))
        for event in (session.opened, session.kind_changed, session.layouts_changed, session.explained_changed):
            event.connect(self._refresh)
        session.store.kind_loaded.connect(lambda _kind: self._try())

    @property
    def layout_shown(self) -> heavy.Layout | None:
        """The layout in hand."""
        session = self._session
        return session.layout_of(session.kind) if session.capture is not None else None

    # edits

    def add_field(self) -> None:
        """Make a field of the selected beads and open its card, name first."""
        session, layout = self._session, self.layout_shown
        bits = self.plan.abacus.bits
        if layout is None or self.plan.current is not None or not bits:
            session.told.emit("", "Close the open field with Esc and drag over free beads first.")
            return
        number = len(layout.fields) + 1
        places = session.engine.places_of(bits, low_byte_first=True)
        kind = session.engine.FieldKind("flag" if len(bits) == 1 else "unsigned")
        while layout.field_named(f"field {number}") is not None:
            number += 1
        field = session.engine.new_field(f"field {number}", places, kind)
        if self._on_edited(field):
            self.plan.pick(field.id)
            self.plan.form.lines["name"].setFocus()
            self.plan.form.lines["name"].selectAll()

    def turn_order(self) -> None:
        """Turn the byte order of the open field round."""
        layout = self.layout_shown
        if layout is not None and self.plan.current is not None:
            field = layout.field(self.plan.current)
            self._on_edited(msgspec.structs.replace(field, places=field.places.other_order()))

    def remove_field(self) -> None:
        """Remove the open field; undo brings it back."""
        layout = self.layout_shown
        if layout is not None and self.plan.current is not None:
            self._session.edits.change(layout.without_field(self.plan.current))

    def _on_edited(self, field: heavy.Field) -> bool:
        """Keep a changed field if the layout stays valid; otherwise say what is wrong beside it."""
        session, layout = self._session, self.layout_shown
        if layout is None:
            return False
        changed = layout.with_field(field)
        problems = session.engine.check_layout(changed)
        if problems:
            self.plan.show_problem(problems[0].attribute, problems[0].sentence)
            if self.plan.current is None:
                session.told.emit("wrong", problems[0].sentence)
            return False
        session.edits.change(changed)
        return True

    def _begin_layout(self) -> None:
        session = self._session
        if session.kind is not None:
            name = f"Message {session.kind_address(session.kind)}"
            session.edits.change(session.layout_for_new_field(session.kind, name))
            self.message.lines["name"].setFocus()
            self.message.lines["name"].selectAll()

    # showing

    def _refresh(self) -> None:
        session, layout = self._session, self.layout_shown
        self._stack.setCurrentIndex(1 if layout is not None else 0)
        kind = session.kind
        if layout is None or kind is None:
            self._show_empty()
        else:
            activity = session.activities[kind] if kind < len(session.activities) else None
            size = max(layout.size, session.capture.kind_size(kind))
            moves = activity.moves if activity is not None else AbacusState().moves
            self.plan.show_layout(layout, AbacusState(size, b"", moves, session.engine.owned_bits(layout, size)))
            self.head.title.setText(layout.name)
            self.head.words.setText(self._head_words(layout))
            self.message.show_layout(layout)
            self._try()
        self._show_actions()

    def _show_empty(self) -> None:
        session = self._session
        self.head.title.setText("Layouts")
        self.head.words.setText("")
        if session.capture is None or session.kind is None:
            self.begin.hide()
            self.empty_words.setText("Choose a message in the roster to see its plan.")
            return
        key = session.kind_key(session.kind)
        self.begin.setVisible(key.is_data)
        named = f"Nobody has named {session.kind_address(session.kind)} yet."
        self.empty_words.setText(named if key.is_data else "Error and remote frames carry no payload to lay out.")

    def _head_words(self, layout: heavy.Layout) -> str:
        applies = layout.applies
        parts = [f"{applies.address_text()} on {', '.join(applies.lanes) or 'any lane'}", f"{layout.size} bytes"]
        if layout.sender:
            parts.append(f"sent by {layout.sender}")
        return " · ".join(parts)

    def _show_actions(self) -> None:
        layout = self.layout_shown
        is_open = self.plan.current is not None
        for action in (self.add, self.turn, self.remove):
            action.setVisible(layout is not None)
        self.turn.setEnabled(is_open)
        self.remove.setEnabled(is_open)
        self.add.setEnabled(not is_open and bool(self.plan.abacus.bits))

    def _try(self) -> None:
        if self.isVisible():
            self.tried.try_layout(self.layout_shown, self._session.kind)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._refresh()


class MessageForm(QWidget):
    """When the layout applies, and what the message is called."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._layout: heavy.Layout | None = None
        self.lines = {name: QLineEdit() for name in ("name", "address", "size", "lanes", "sender", "note")}
        self.problem = label("", "wrong", wrap=True)
        grid = QGridLayout(self)
        grid.setContentsMargins(6, 6, 14, 8)
        grid.setVerticalSpacing(5)
        heading = label("Message and when it applies")
        heading.setFont(text_font(bold=True))
        grid.addWidget(heading, 0, 0, 1, 2)
        words = {"name": "message", "address": "identifier is", "size": "bytes", "lanes": "on lanes",
                 "sender": "sent by", "note": "note"}  # fmt: skip
        for row, (name, line) in enumerate(self.lines.items(), 1):
            line.setAccessibleName(words[name])
            if name in ("address", "size"):
                line.setFont(figure_font())
            line.editingFinished.connect(lambda name=name: self._take(name))
            grid.addWidget(label(words[name], "section"), row, 0)
            grid.addWidget(line, row, 1)
        self.lines["lanes"].setPlaceholderText("any lane")
        grid.addWidget(self.problem, 9, 0, 1, 2)
        self.problem.hide()

    def show_layout(self, layout: heavy.Layout) -> None:
        """Show another layout, or the same one changed."""
        self._layout = layout
        applies = layout.applies
        texts = {"name": layout.name, "address": applies.address_text(), "size": str(layout.size),
                 "lanes": ", ".join(applies.lanes), "sender": layout.sender, "note": layout.note}  # fmt: skip
        for name, text in texts.items():
            if self.lines[name].text() != text:
                self.lines[name].setText(text)
        self.problem.hide()

    def _take(self, name: str) -> None:
        if self._layout is None:
            return
        engine = self._session.engine
        try:
            changed = self._changed(name, self.lines[name].text().strip())
        except ValueError as error:
            self._say(str(error))
            return
        problems = engine.check_layout(changed)
        if problems:
            self._say(problems[0].sentence)
        elif changed != self._layout:
            self._session.edits.change(changed)

    def _changed(self, name: str, text: str) -> heavy.Layout:
        layout = self._layout
        assert layout is not None
        if name == "address":
            digits = text.lower().removeprefix("0x")
            try:
                address = int(digits, 16)
            except ValueError as error:
                raise ValueError(f"{text!r} is not an identifier; write hex digits such as 0x1A0.") from error
            extended = layout.applies.extended if address <= 0x7FF and len(digits) == 3 else len(digits) > 3
            applies = msgspec.structs.replace(layout.applies, address=address, extended=extended)
            return msgspec.structs.replace(layout, applies=applies)
        if name == "size":
            if not text.isdigit() or len(text) > 6:
                raise ValueError(f"{text!r} is not a number of bytes.")
            return msgspec.structs.replace(layout, size=int(text))
        if name == "lanes":
            lanes = tuple(part.strip() for part in text.split(",") if part.strip())
            return msgspec.structs.replace(layout, applies=msgspec.structs.replace(layout.applies, lanes=lanes))
        return msgspec.structs.replace(layout, **{name: text})

    def _say(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.show()
