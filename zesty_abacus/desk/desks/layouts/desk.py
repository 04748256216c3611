"""Puts the Layouts desk together."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ...app.commands import Command
from ...app.doors import engine
from ...app.session import Session
from ...widgets.abacus import AbacusState
from ...widgets.parts import Choice, DeskHead, button, hairline, label, one_shot
from .bring_view import BringView
from .commands import layout_commands
from .compare_view import CompareView
from .comparing import Comparing
from .flow import past_end
from .history_panel import HistoryPanel
from .message_form import MessageForm
from .order_helper import OrderHelper
from .plan import PlanView
from .putting_out import ask_and_print, ask_and_put_out
from .reshaper import Reshaper
from .tried import TriedTable

_CURSOR_MS = 30
_EMPTY, _PLAN, _COMPARE, _BRING = range(4)
"""Pages of the desk."""


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
        self._soon_at_cursor = one_shot(self, _CURSOR_MS, self._show_cursor)
        self.head = DeskHead()
        self.plan = PlanView(session)
        self.tried = TriedTable(session)
        self.message = MessageForm(session)
        self.orders = OrderHelper(session)
        self.comparison = CompareView(session)
        self.comparing = Comparing(session, self.comparison, lambda: self.whole_shown, self.keep)
        self.bring = BringView(session)
        self.side = HistoryPanel(session)
        self.reshaper = Reshaper(session, self.plan, lambda: self._reshaped_layout(), self.keep)
        self.untie = button("Untie", "Let the library say again which layout reads this message", link=True)
        self.add = button("New field", "Make a field of the selected beads (F)")
        self.drop_in = button("Drop in…", "Add an array, a string, a list, a check or a computed value (Shift F)")
        self.turn = button("Turn order", "Turn the byte order of the open field round (O)")
        self.remove = button("Remove field", "Remove the open field (Shift Delete)")
        self.more = button("More…", "Split, join, find an order, compare, print, bring in, put out")
        self.which = Choice()
        self.which.setAccessibleName("Which layout of this message")
        self.which.setToolTip("Several layouts read frames of this message; this one is in hand")
        for action in (self.which, self.untie, self.add, self.drop_in, self.turn, self.remove, self.more):
            self.head.row.addWidget(action)
        self.begin = button("Begin a layout for this message", "", main=True)
        self.tie = button("Read it with another layout…", "Tie a layout of the library to this message by hand")
        self._stack = QStackedWidget()
        self._stack.addWidget(self._empty())
        self._stack.addWidget(self._work_area())
        self._stack.addWidget(self.comparison)
        self._stack.addWidget(self.bring)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(hairline())
        column.addWidget(self._stack, 1)
        self._connect()
        self._refresh()

    def commands(self) -> list[Command]:
        """Return what can be done on this desk."""
        return layout_commands(self, self._session)

    def step_frame(self, by: int) -> bool:
        """Go so many frames on in the desk's own list; say whether it has one."""
        return False

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
        row.addWidget(self.tie)
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
        row.addWidget(self.orders, 2, Qt.AlignmentFlag.AlignTop)
        self.orders.hide()
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
        self.drop_in.clicked.connect(self.choose_template)
        self.more.clicked.connect(self._show_more)
        self.orders.taken.connect(self._take_order)
        self.orders.done.connect(lambda: self._show_orders(shown=False))
        self.bring.done.connect(self.back_to_plan)
        self.side.compare_wanted.connect(self.comparing.compare_state)
        self.side.agreement.pair_wanted.connect(self.comparing.show_pair)
        session.reading.explained_changed.connect(self._show_explained)
        self.begin.clicked.connect(self._begin_layout)
        self.tie.clicked.connect(self._offer_ties)
        self.untie.clicked.connect(lambda: self._session.tie(None))
        self.which.activated.connect(self._choose_layout)
        self.plan.edited.connect(self._on_edited)
        self.plan.grown.connect(self.keep)
        self.tried.wrong_wanted.connect(lambda time_ns: session.clock.set_cursor(time_ns, follow=True))
        session.clock.cursor_changed.connect(self._soon_at_cursor.start)
        self.plan.field_picked.connect(lambda _id: self._show_actions())
        self.plan.abacus.selected.connect(lambda _bits: self._show_actions())
        session.kind_changed.connect(lambda: self.plan.pick(None))
        self.comparing.begun.connect(self._show_comparison)
        self.comparing.ended.connect(self.back_to_plan)
        session.kind_changed.connect(lambda: None if self.comparing.waits else self.back_to_plan())
        for event in (session.opened, session.kind_changed, session.layouts_changed, session.reading.explained_changed):
            event.connect(self._refresh)
        session.store.kind_loaded.connect(lambda _kind: self._try())

    @property
    def layout_shown(self) -> engine.Layout | None:
        """The layout in hand."""
        session = self._session
        return session.reading.layout_of(session.kind) if session.capture is not None else None

    @property
    def whole_shown(self) -> engine.Layout | None:
        """The layout in hand as the library has it: of a register map, the whole map."""
        layout = self.layout_shown
        return self._session.edits.layout(layout.id) if layout is not None else None

    def _reshaped_layout(self) -> engine.Layout | None:
        """Return the layout that drags and keys reshape: fixed places only, or a whole register map."""
        layout = self.whole_shown
        return None if layout is None or layout.moves else layout

    # edits

    def add_field(self) -> None:
        """Make a field of the selected beads and open its card, name first."""
        session, layout = self._session, self.whole_shown
        if layout is not None and (layout.registers is not None or layout.moves):
            self._add_behind(layout)
            return
        bits = self.plan.abacus.bits
        if layout is None or self.plan.current is not None or not bits:
            session.told.emit("", "Close the open field with Esc and drag over free beads first.")
            return
        number = len(layout.fields) + 1
        places = engine.places_of(bits, low_byte_first=True)
        kind = engine.FieldKind("flag" if len(bits) == 1 else "unsigned")
        while layout.field_named(f"field {number}") is not None:
            number += 1
        field = engine.new_field(f"field {number}", places, kind)
        if self._on_edited(field):
            self.plan.pick(field.id)
            self.plan.form.lines["name"].setFocus()
            self.plan.form.lines["name"].selectAll()

    def _add_behind(self, layout: engine.Layout) -> None:
        """Add a field where no beads can be marked: in the first free register, or in the byte behind the others."""
        changed = engine.with_field_behind(layout)
        known = {field.id for field in layout.fields}
        if self.keep(changed):
            self.plan.pick(next(field.id for field in changed.fields if field.id not in known))

    def add_next(self) -> None:
        """Take what is being typed over, and begin a field in the first free bits: a paper is typed in row by row."""
        focused = self.focusWidget()
        if isinstance(focused, QLineEdit):
            focused.clearFocus()
        layout = self.whole_shown
        if layout is not None and not self.plan.form.problem.isVisible():
            self._add_behind(layout)
            self.plan.form.lines["name"].setFocus()
            self.plan.form.lines["name"].selectAll()

    def turn_order(self) -> None:
        """Turn the byte order of the open field round."""
        layout = self.whole_shown
        open_field = next((f for f in layout.all_fields() if f.id == self.plan.current), None) if layout else None
        if open_field is not None and len(open_field.places):
            self._on_edited(msgspec.structs.replace(open_field, places=open_field.places.other_order()))

    def remove_field(self) -> None:
        """Remove what is open: a field, a part, a check or a computed value; undo brings it back."""
        layout = self.whole_shown
        if layout is not None and self.plan.current is not None:
            self.keep(layout.without_item(self.plan.current))

    def choose_template(self) -> None:
        """Offer what can be dropped in, by family."""
        menu = self._menu()
        family = ""
        for template in engine.TEMPLATES:
            if template.family != family:
                family = template.family
                menu.addSection(family.capitalize())
            action = menu.addAction(template.name)
            if action is not None:
                action.triggered.connect(lambda _checked, one=template: self.drop(one))
        menu.popup(self.drop_in.mapToGlobal(self.drop_in.rect().bottomLeft()))

    def _menu(self) -> QMenu:
        """Return an empty menu that goes when it is closed."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        return menu

    def drop(self, template: Any) -> bool:
        """Add something ready-made to the layout and open its card."""
        session, layout = self._session, self.whole_shown
        if layout is None:
            return False
        try:
            changed = template.add(layout)
        except engine.NothingToDoError as error:
            session.told.emit("", str(error))
            return False
        known = {item.id for item in (*layout.parts, *layout.checks, *layout.computed)}
        if not self.keep(changed):
            return False
        new = next((i for i in (*changed.parts, *changed.checks, *changed.computed) if i.id not in known), None)
        if new is not None:
            self.plan.pick(new.id)
        return True

    def _on_edited(self, item: Any) -> bool:
        """Keep a changed field or other item if the layout stays valid; otherwise say what is wrong beside it."""
        whole = self.whole_shown
        return whole is not None and self.keep(whole.with_item(item))

    def keep(self, changed: engine.Layout) -> bool:
        """Keep a changed layout if it is valid; otherwise say what is wrong beside it."""
        session = self._session
        problems = engine.check_layout(changed)
        if problems:
            self.plan.show_problem(problems[0].attribute, problems[0].sentence)
            if self.plan.current is None:
                session.told.emit("wrong", problems[0].sentence)
            return False
        if not session.edits.may_edit():
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

    def begin_another(self) -> None:
        """Begin a second layout for the message in hand, which reads frames that begin like the one at the cursor."""
        session, layout = self._session, self.whole_shown
        if layout is None or session.kind is None or layout.registers is not None:
            session.told.emit("", "Only a message that has a layout, and no register map, can have another one.")
            return
        at = session.store.frame_at(session.kind, None, session.clock.cursor_ns)
        if at is None or not at.payload:
            session.told.emit("", "No frame of this message is at the cursor yet.")
            return
        applies = msgspec.structs.replace(layout.applies, pattern=f"{at.payload[0]:02X}")
        made = engine.new_layout(f"{layout.name} {applies.pattern}", applies, len(at.payload))
        if self.keep(made):
            session.reading.choose(session.kind, made.id)
            self.message.lines["name"].setFocus()
            self.message.lines["name"].selectAll()

    def _choose_layout(self, _number: int) -> None:
        if self._session.kind is not None:
            self._session.reading.choose(self._session.kind, self.which.currentData())

    def _show_which(self) -> None:
        """Offer the layouts that share the message; one alone needs no choice."""
        readers = self._session.reading.readers(self._session.kind) if self._session.capture is not None else ()
        in_hand = self._session.reading.reader(self._session.kind)
        self.which.clear()
        for reader in readers:
            self.which.addItem(reader.layout.name, reader.layout.id)
        self.which.setCurrentIndex(readers.index(in_hand) if in_hand is not None else -1)
        self.which.setVisible(len(readers) > 1 and self._stack.currentIndex() == _PLAN)

    def _offer_ties(self) -> None:
        """Offer the layouts of the library for what this lane speaks."""
        session = self._session
        menu = self._menu()
        for layout in session.layouts_to_tie(session.kind):
            action = menu.addAction(layout.name)
            if action is not None:
                action.triggered.connect(lambda _checked, one=layout.id: session.tie(one))
        menu.popup(self.tie.mapToGlobal(self.tie.rect().bottomLeft()))

    # the other pages

    def _show_more(self) -> None:
        """Offer what is done more rarely."""
        menu, layout = self._menu(), self.whole_shown
        library = self._session.edits.layouts
        entries = (
            ("Split the open field\tS", self.reshaper.split), ("Join with the next field\tJ", self.reshaper.join),
            ("Find the order of a known value\tV", self.find_order),
            ("Compare with another layout…", self.offer_compared),
            ("Another layout for frames like the one at the cursor", self.begin_another),
            ("Print its sheet…", lambda: ask_and_print(self, self._session, [layout] if layout else [])),
            ("Print all sheets…", lambda: ask_and_print(self, self._session, library())),
            ("Put this layout out…", lambda: ask_and_put_out(self, self._session, [layout] if layout else [])),
            ("Put all layouts out…", lambda: ask_and_put_out(self, self._session, library())),
            ("Bring layouts in…", self.ask_bring_in),
        )  # fmt: skip
        for words, call in entries:
            menu.addAction(words, call)
        menu.popup(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def ask_bring_in(self) -> None:
        """Ask for a file of layouts and show what it gives."""
        name, _ = QFileDialog.getOpenFileName(
            self,
            "Bring layouts in",
            "",
            "Layouts (*.json *.csv *.tsv *.xlsx *.xml *.xtce *.arxml *.eds);;All files (*)",
        )
        if name:
            self.bring_in(Path(name))

    def bring_in(self, path: Path) -> None:
        """Show what a file of layouts gives."""
        self._stack.setCurrentIndex(_BRING)
        self.head.title.setText("Bring layouts in")
        self.head.words.setText("what the file gives is shown before any of it is kept")
        self._show_actions()
        self.bring.begin(path)

    def back_to_plan(self) -> None:
        """Leave the comparison or the file."""
        self._stack.setCurrentIndex(_EMPTY)
        self._refresh()

    def _show_comparison(self) -> None:
        self._stack.setCurrentIndex(_COMPARE)
        self._show_actions()
        self.comparison.setFocus()

    def offer_compared(self) -> None:
        """Offer the other layouts to compare with, those of the same lane first."""
        session, layout = self._session, self.whole_shown
        if layout is None:
            return
        others = [one for one in session.edits.layouts() if one.id != layout.id]
        others.sort(key=lambda one: (one.applies.protocol != layout.applies.protocol, one.name))
        menu = self._menu()
        for other in others:
            menu.addAction(other.name, lambda other=other: self.comparing.compare_with(other, other.name))
        menu.popup(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def find_order(self) -> None:
        """Ask for a known value, and look for the order of the bytes at the cursor that gives it."""
        session, layout = self._session, self.layout_shown
        if layout is None or session.kind is None:
            return
        at = session.store.frame_at(session.kind, layout, session.clock.cursor_ns)
        marked = self.plan.abacus.bits
        self._show_orders(shown=True)
        self.orders.begin(at.payload if at is not None else b"", min(marked) // 8 if marked else 0)

    def _show_orders(self, *, shown: bool) -> None:
        self.orders.setVisible(shown)
        self.message.setVisible(not shown)

    def _take_order(self, order: Any, first: int) -> None:
        """Read the open field, or a new one, as an order says."""
        _session, layout = self._session, self.layout_shown
        whole = self.whole_shown
        if layout is None or whole is None:
            return
        registers = layout.registers
        shift = first * 8
        if registers is not None and registers.window is not None:
            shift += registers.window * registers.space.register_bits
        places = type(order.places)(bit + shift for bit in order.places)
        settings = {"places": places, "kind": order.kind, "ratio": order.ratio, "inverted": order.inverted}
        field = next((one for one in whole.fields if one.id == self.plan.current), None)
        if field is None:
            field = engine.new_field(engine.free_name(whole, "field"), places, order.kind)
        if self._on_edited(msgspec.structs.replace(field, **settings)):
            self.plan.pick(field.id)
            self._show_orders(shown=False)

    # showing

    def _show_explained(self) -> None:
        if self.isVisible():
            layout, whole = self.layout_shown, self.whole_shown
            beyond = past_end(whole, layout) if layout is not None and whole and whole.registers is not None else 0
            self.tried.show_explained(layout, self._session.kind, beyond)

    def _refresh(self) -> None:
        session, layout = self._session, self.layout_shown
        if self._stack.currentIndex() == _BRING:
            return
        if self._stack.currentIndex() != _COMPARE or layout is None:
            self._stack.setCurrentIndex(_PLAN if layout is not None else _EMPTY)
        kind = session.kind
        if layout is None or kind is None:
            self._show_empty()
        else:
            activity = session.reading.activities[kind] if kind < len(session.reading.activities) else None
            size = max(layout.size, session.capture.kind_size(kind))
            moves = activity.moves if activity is not None else AbacusState().moves
            whole = self.whole_shown if layout.registers is not None else None
            self.plan.show_layout(layout, AbacusState(size, b"", moves, session.reading.owners_of(kind, size)), whole)
            self.head.title.setText(layout.name)
            self.head.words.setText(self._head_words(layout))
            self.message.show_layout(whole or layout, session.reading.words(kind))
            self._show_explained()
            self._try()
        self._show_actions()

    def _show_empty(self) -> None:
        session = self._session
        self.head.title.setText("Layouts")
        self.head.words.setText("")
        if session.capture is None or session.kind is None:
            self.begin.hide()
            self.tie.hide()
            self.empty_words.setText("Choose a message in the roster to see its plan.")
            return
        key = session.kind_key(session.kind)
        self.begin.setVisible(key.is_data)
        self.tie.setVisible(key.is_data and bool(session.layouts_to_tie(session.kind)))
        named = f"Nobody has named {session.kind_address(session.kind)} yet."
        self.empty_words.setText(named if key.is_data else "Error and remote frames carry no payload to lay out.")

    def _head_words(self, layout: engine.Layout) -> str:
        applies = layout.applies
        parts = [applies.words()]
        if layout.registers is None:
            parts.append(f"{layout.size} bytes{' and what follows' if layout.moves else ''}")
        else:
            whole = self.whole_shown or layout
            parts = [f"{len(whole.fields)} fields in {layout.registers.space.words}"]
            parts.append(f"this exchange carries {len(layout.fields)}")
        if layout.sender:
            parts.append(f"sent by {layout.sender}")
        return " · ".join(parts)

    def _show_actions(self) -> None:
        layout = self.layout_shown
        is_open = self.plan.current is not None
        on_plan = layout is not None and self._stack.currentIndex() == _PLAN
        for action in (self.add, self.drop_in, self.more):
            action.setVisible(on_plan)
        # what is about the open field is there with it, so that the head has room for its words
        self.turn.setVisible(on_plan and is_open)
        self.remove.setVisible(on_plan and is_open)
        self.untie.setVisible(on_plan and self._session.is_tied())
        self._show_which()
        no_beads = layout is not None and (layout.registers is not None or layout.moves)
        self.add.setEnabled(no_beads or (not is_open and bool(self.plan.abacus.bits)))

    def _show_cursor(self) -> None:
        if self.isVisible():
            self.plan.show_frame()

    def _try(self) -> None:
        if self.isVisible():
            self.tried.try_layout(self.layout_shown, self._session.kind)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._refresh()
