"""Puts the Layouts desk together."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from ...app.doors import engine, laid
from ...app.session import Session
from ...around.time_hands import step_in_kind
from ...widgets.beads import AbacusState
from ...widgets.pages import Pages
from ...widgets.parts import DeskHead, button, hairline, one_shot
from ...widgets.words import counted
from ..desk import Desk
from .bring_view import BringView
from .compare_view import CompareView
from .comparing import Comparing
from .helper import Helper
from .history_panel import HistoryPanel
from .in_hand import LayoutInHand
from .ladder import past_end
from .menus import LayoutMenus
from .message_form import MessageForm
from .order_helper import OrderHelper
from .plan import PlanView
from .reader_choice import ReaderChoice
from .reshaper import Reshaper
from .start_page import StartPage
from .symbol_helper import SymbolHelper
from .tried import TriedTable

_CURSOR_MS = 30
_EMPTY, _PLAN, _COMPARE, _BRING = range(4)
"""Pages of the desk."""
_READS_NOTHING = "It reads no message of the open capture."


class LayoutsDesk(Desk):
    """The plan above; tried on the capture and the message's head below; history at the right.

    Attributes
    ----------
    side
        The panel for the right side.
    """

    name = "Layouts"
    side: HistoryPanel

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._soon_at_cursor = one_shot(self, _CURSOR_MS, self._show_cursor)
        self.head = DeskHead()
        self.plan = PlanView(session)
        self.tried = TriedTable(session)
        self.message = MessageForm(session)
        self.orders = OrderHelper(session)
        self.codes = SymbolHelper(session, self._bits_of_text)
        self.comparison = CompareView(session)
        self.hand = LayoutInHand(session, self.plan, self.message)
        self.comparing = Comparing(session, self.comparison, lambda: self.hand.whole, self.hand.keep)
        self.bring = BringView(session)
        self.side = HistoryPanel(session)
        self.reshaper = Reshaper(session, self.plan, lambda: self.hand.reshaped, self.hand.keep)
        self.reader = ReaderChoice(session)
        self.add = button("New field", "Make a field of the selected beads (F)")
        self.drop_in = button("Drop in…", "Add an array, a string, a list, a check or a computed value (Shift F)")
        self.turn = button("Turn order", "Turn the byte order of the open field round (O)")
        self.remove = button("Remove field", "Remove the open field (Shift Del)")
        self.more = button("More…", "Split, join, find an order, compare, print, bring in, put out")
        for action in (self.reader, self.add, self.drop_in, self.turn, self.remove, self.more):
            self.head.row.addWidget(action)
        self.menus = LayoutMenus(
            self, session, self.hand, self.reshaper, self.comparing,
            self.drop_in, self.more, self.find_order, self.find_code, self.ask_unrecorded, self.ask_bring_in,
        )  # fmt: skip
        self.start = StartPage(session)
        self._stack = Pages()
        self._stack.addWidget(self.start)
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

    def keys_first(self) -> tuple[QWidget, ...]:
        return (self.plan.pictures.abacus,)

    def step_frame(self, by: int) -> bool:
        """Go so many frames of the message in hand on; say whether there is one."""
        return step_in_kind(self._session, by)

    def _work_area(self) -> QWidget:
        lower = QWidget()
        row = QHBoxLayout(lower)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        row.addWidget(self.tried, 3, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self.message, 2, Qt.AlignmentFlag.AlignTop)
        for helper in (self.orders, self.codes):
            row.addWidget(helper, 2, Qt.AlignmentFlag.AlignTop)
            helper.done.connect(lambda: self._show_helper(None))
            helper.hide()
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
        self.add.clicked.connect(self.hand.add_field)
        self.turn.clicked.connect(self.hand.turn_order)
        self.remove.clicked.connect(self.hand.remove_field)
        self.orders.taken.connect(self._take_order)
        self.codes.taken.connect(self._take_code)
        self.bring.done.connect(self.back_to_plan)
        self.side.compare_wanted.connect(self.comparing.compare_state)
        self.side.agreement.pair_wanted.connect(self.comparing.show_pair)
        session.reading.counts.changed.connect(self._show_explained)
        self.start.begin_wanted.connect(self.hand.begin)
        self.start.unrecorded_wanted.connect(self.hand.begin_unrecorded)
        self.start.bring_wanted.connect(self.ask_bring_in)
        self.plan.edited.connect(self.hand.keep_item)
        self.plan.grown.connect(self.hand.keep)
        self.tried.wrong_wanted.connect(lambda time_ns: session.clock.set_cursor(time_ns, follow=True))
        session.clock.cursor_changed.connect(self._soon_at_cursor.start)
        self.plan.field_picked.connect(lambda _id: self._show_actions())
        self.plan.pictures.abacus.selected.connect(lambda _bits: self._show_actions())
        session.in_hand.changed.connect(lambda: self.plan.pick(None))
        self.comparing.begun.connect(self._show_comparison)
        self.comparing.ended.connect(self.back_to_plan)
        session.in_hand.changed.connect(lambda: None if self.comparing.waits else self.back_to_plan())
        for event in (session.opened, session.in_hand.changed, session.layouts_changed, session.reading.counts.changed):
            event.connect(self._refresh)
        session.store.kind_loaded.connect(lambda _kind: self._try())

    def ask_bring_in(self) -> None:
        """Ask for a file of layouts and show what it gives."""
        # a file is known by its content; the endings only shorten the list of the dialog
        endings = {f"*{ending}" for _, ending, _ in laid.WRITERS.values()} | {"*.tsv", "*.xtce"}
        known = f"Layouts ({' '.join(sorted(endings))});;All files (*)"
        name, _ = QFileDialog.getOpenFileName(self, "Bring layouts in", "", known)
        if name:
            self.bring_in(Path(name))

    def ask_unrecorded(self) -> None:
        """Ask of which message that was not recorded a layout is to be begun."""
        self._session.in_hand.take_kind(None)
        self.back_to_plan()
        self.start.unrecorded.line.setFocus()

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

    def find_order(self) -> None:
        """Ask for a known value, and look for the order of the message's bytes that gives it."""
        if self.hand.shown is None or self._session.in_hand.kind is None:
            return
        marked = self.plan.pictures.abacus.bits
        self._show_helper(self.orders)
        self.orders.begin(min(marked) // 8 if marked else 0)

    def find_code(self) -> None:
        """Ask for texts that frames say, and work out the code table of the open field's symbols."""
        if self.hand.field_in_hand() is None:
            self._session.told.emit("", "Open a field or a string first: its bits are what the table is for.")
            return
        self._show_helper(self.codes)
        self.codes.begin()

    def _bits_of_text(self) -> str:
        """Return the bits of the open field, or string, in the frame at the cursor; empty where there are none."""
        session, layout, field = self._session, self.hand.shown, self.hand.field_in_hand()
        if layout is None or field is None or session.in_hand.kind is None:
            return ""
        at = session.store.frame_at(session.in_hand.kind, layout, session.clock.cursor_ns)
        return engine.bits_of_text(field, at.payload, at.decoded) if at is not None else ""

    def _take_code(self, symbols: tuple[engine.Symbol, ...]) -> None:
        if self.hand.take_code(symbols):
            self._show_helper(None)

    def _show_helper(self, shown: Helper | None) -> None:
        """Show a helper in the place of the message's head, or the head again."""
        for one in (self.orders, self.codes):
            one.setVisible(one is shown)
        self.message.setVisible(shown is None)

    def _take_order(self, order: laid.Order, first: int) -> None:
        if self.hand.take_order(order, first):
            self._show_helper(None)

    def _show_explained(self) -> None:
        if self.isVisible():
            layout, whole = self.hand.shown, self.hand.whole
            beyond = past_end(whole, layout) if layout is not None and whole and whole.registers is not None else 0
            self.tried.show_explained(layout, self._session.in_hand.kind, beyond)

    def _refresh(self) -> None:
        session, layout = self._session, self.hand.shown
        if self._stack.currentIndex() == _BRING:
            return
        if self._stack.currentIndex() != _COMPARE or layout is None:
            self._stack.setCurrentIndex(_PLAN if layout is not None else _EMPTY)
        if layout is None:
            self.head.title.setText("Layouts")
            self.head.words.setText("")
            self.start.show_message()
        else:
            whole = self.hand.whole if layout.registers is not None else None
            self.plan.show_layout(layout, self._beads(layout), whole)
            self.head.title.setText(layout.name)
            self.head.words.setText(self._head_words(layout))
            why = session.reading.words(session.in_hand.kind) if session.in_hand.kind is not None else _READS_NOTHING
            self.message.show_layout(whole or layout, why)
            self._show_explained()
            self._try()
        self._show_actions()

    def _beads(self, layout: engine.Layout) -> AbacusState:
        """Return the beads of a layout: how long frames are and which bits move, as far as any were recorded."""
        session, kind = self._session, self._session.in_hand.kind
        if kind is None:
            return AbacusState(layout.size, b"", AbacusState().moves, engine.owned_bits(layout, layout.size))
        activity = session.reading.counts.activity_of(kind)
        size = max(layout.size, session.capture.kind_size(kind))
        moves = activity.moves if activity is not None else AbacusState().moves
        return AbacusState(size, b"", moves, session.owners.in_hand(kind, size))

    def _head_words(self, layout: engine.Layout) -> str:
        applies = layout.applies
        parts = [applies.words()]
        if layout.registers is None:
            parts.append(f"{counted(layout.size, 'byte')}{' and what follows' if layout.moves else ''}")
        else:
            whole = self.hand.whole or layout
            parts = [f"{counted(len(whole.fields), 'field')} in {layout.registers.space.words}"]
            if self._session.in_hand.kind is not None:
                parts.append(f"this exchange carries {len(layout.fields)}")
        if layout.sender:
            parts.append(f"sent by {layout.sender}")
        return " · ".join(parts)

    def _show_actions(self) -> None:
        layout = self.hand.shown
        is_open = self.plan.current is not None
        on_plan = layout is not None and self._stack.currentIndex() == _PLAN
        for action in (self.add, self.drop_in, self.more):
            action.setVisible(on_plan)
        # what is about the open field is there with it, so that the head has room for its words
        self.turn.setVisible(on_plan and is_open)
        self.remove.setVisible(on_plan and is_open)
        self.reader.setVisible(on_plan)
        self.reader.show_readers()

    def _show_cursor(self) -> None:
        if self.isVisible():
            self.plan.show_frame()

    def _try(self) -> None:
        if self.isVisible():
            self.tried.try_layout(self.hand.shown, self._session.in_hand.kind)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._refresh()
