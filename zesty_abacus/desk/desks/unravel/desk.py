"""Puts the Unravel desk together."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QSplitter, QStackedWidget, QToolTip, QVBoxLayout, QWidget

from ...app.doors import asked, engine
from ...app.session import Session
from ...around.ask_menu import ask_menu
from ...around.time_hands import step_in_kind
from ...widgets.abacus import Abacus
from ...widgets.beads import AbacusState
from ...widgets.parts import DeskHead, Hint, hairline, plain_tip
from ...widgets.theme import figure_font
from ...widgets.words import counted
from ..desk import Desk
from .history_view import HistoryView, cycle_words
from .moment_table import MomentTable
from .question_lines import ActionLine
from .reckoner import Reckoner
from .side import SELECTION, UnravelSide

_WITHOUT_MOMENTS, _WITH_MOMENTS = [352, 232, 0], [252, 126, 240]
"""Heights of abacus, reckoner, and moments against bits."""


class UnravelDesk(Desk):
    """Abacus with history above, reckoner below; findings and the selection go to the right of the window.

    Attributes
    ----------
    side
        What goes to the right side.
    """

    name = "Unravel"
    side: UnravelSide

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.head = DeskHead()
        self.head.title.setFont(figure_font(16, bold=True))
        self.abacus = Abacus()
        self.history = HistoryView(session, self.abacus)
        self.reckoner = Reckoner(session)
        self.moments = MomentTable(session)
        self.moments.hide()
        self.side = UnravelSide(session)
        self._stack = QStackedWidget()
        self._stack.addWidget(Hint("Choose a message in the roster to see how its bits live."))
        self._stack.addWidget(self._work_area())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(hairline())
        column.addWidget(self._stack, 1)
        self._connect()
        self.abacus.show_bits(session.in_hand.bits)
        self._refresh()

    def keys_first(self) -> tuple[QWidget, ...]:
        return (self.abacus,)

    def step_frame(self, by: int) -> bool:
        """Go so many frames of the message in hand on; say whether there is one."""
        return step_in_kind(self._session, by)

    def _work_area(self) -> QWidget:
        rods = QWidget()
        rods.setObjectName("panel")
        rods.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(rods)
        row.setContentsMargins(10, 6, 12, 4)
        row.setSpacing(8)
        row.addWidget(self.abacus)
        row.addWidget(self.history, 1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(rods)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setHandleWidth(1)
        split.setChildrenCollapsible(False)
        split.addWidget(scroll)
        split.addWidget(self.reckoner)
        split.addWidget(self.moments)
        split.setStretchFactor(0, 3)
        split.setStretchFactor(1, 2)
        split.setStretchFactor(2, 2)
        split.setSizes(_WITHOUT_MOMENTS)
        self._split = split
        return split

    def _connect(self) -> None:
        session = self._session
        self.abacus.selected.connect(session.in_hand.select_bits)
        self.abacus.hovered.connect(self._tell_bit)
        self.abacus.pointed.connect(self._offer)
        self.reckoner.chosen.connect(self.side.selection.show_reading)
        self.reckoner.keep_wanted.connect(self._on_keep_wanted)
        self.side.findings.refreshed.connect(self._show_moments)
        self.side.claims.hand.frame_wanted.connect(self.add_frame)
        self.side.claims.hand.curve_wanted.connect(self.add_curve)
        self.moments.chosen.connect(lambda pair: self.side.findings.take(*pair))
        for event in (session.opened, session.in_hand.changed, session.layouts_changed, session.reading.counts.changed):
            event.connect(self._refresh)
        session.clock.cursor_changed.connect(self._show_payload)
        session.in_hand.bits_changed.connect(lambda: self.abacus.show_bits(session.in_hand.bits))
        session.findings.lit_changed.connect(self._show_payload)
        session.store.kind_loaded.connect(lambda _kind: self._show_head())

    def _offer(self, bit: int, at: QPoint) -> None:
        """Offer what may be asked of the selected bits, or of the byte that is pointed at."""
        session = self._session
        found = (
            session.store.frame_at(session.in_hand.kind, None, session.clock.cursor_ns)
            if session.in_hand.kind is not None
            else None
        )
        if found is None:
            return
        bits = session.in_hand.bits if bit in session.in_hand.bits else frozenset(range(bit // 8 * 8, bit // 8 * 8 + 8))
        # high byte first, as bits are read off the rods
        ordered = sorted(bits, key=lambda one: (one // 8, -(one % 8)))
        ask_menu(self, session, asked.of_bits(session.capture, found.row, ordered), at)

    def _on_keep_wanted(self) -> None:
        """Take the reading over into the form; the name is all that is missing."""
        self.side.show_page(SELECTION)
        panel = self.side.selection
        (panel.message if panel.message.isVisible() else panel.field).setFocus()

    def add_frame(self) -> None:
        """Add the frame at the cursor as evidence to the claim in hand."""
        self.side.claims.hand.add_frame(self.reckoner.current)

    def add_curve(self) -> None:
        """Add the chosen reading as evidence to the claim in hand."""
        self.side.claims.hand.add_curve(self.reckoner.current, *self.reckoner.followed)

    def select_unexplained(self) -> None:
        """Select every moving bit that no field explains."""
        session = self._session
        kind = session.in_hand.kind
        if kind is not None and kind < len(session.reading.counts.activities):
            owners = session.owners.in_hand(kind, session.reading.counts.activities[kind].size)
            free = np.flatnonzero(session.reading.counts.activities[kind].moves & (owners < 0))
            session.in_hand.select_bits(frozenset(int(bit) for bit in free))

    def bit_words(self, bit: int) -> str:
        """Say what is known about one bit: whose it is and how often it moves."""
        session, kind = self._session, self._session.in_hand.kind
        activity = session.reading.counts.activity_of(kind)
        if kind is None or activity is None or not 0 <= bit < activity.size * 8:
            return ""
        whose = session.owners.name(kind, int(session.owners.in_hand(kind, activity.size)[bit]))
        flips = int(activity.flips[bit])
        lives = f"moves in {flips / max(activity.frames - 1, 1):.1%} of frames" if flips else "never moves"
        return f"{engine.bit_name(bit)}, {whose}, {lives}"

    def _tell_bit(self, bit: int) -> None:
        words = self.bit_words(bit)
        if words:
            QToolTip.showText(QCursor.pos(), plain_tip(words), self.abacus)
        else:
            QToolTip.hideText()

    def _show_moments(self) -> None:
        """Show all answers at once while it is asked what answers a moment."""
        question, trial = self.side.findings.question, self._session.trial
        if isinstance(question, ActionLine) and trial is not None:
            done = [one.text for one in sorted(trial.file.moments, key=lambda one: one.time_ns)]
            self.moments.show_answers(self._session.questions.answering(""), done)
            self.moments.show_moment(question.moment.currentText())
        is_asked = isinstance(question, ActionLine) and trial is not None
        if self.moments.isHidden() == is_asked:
            self.moments.setVisible(is_asked)
            self._split.setSizes(_WITH_MOMENTS if is_asked else _WITHOUT_MOMENTS)

    def _refresh(self) -> None:
        if not self.isVisible():
            return  # it is done when the desk is shown
        chosen = self._session.capture is not None and self._session.in_hand.kind is not None
        self._stack.setCurrentIndex(1 if chosen else 0)
        self._show_head()
        self._show_payload()

    def _show_head(self) -> None:
        session = self._session
        kind = session.in_hand.kind
        if session.capture is None or kind is None:
            self.head.title.setText("Unravel")
            self.head.words.setText("")
            return
        key = session.kinds.key(kind)
        self.head.title.setText(session.kinds.address(kind))
        parts = [session.kinds.name(kind) or "unnamed", session.capture.lanes[key.lane].name]
        rows = session.capture.kinds.rows(kind, 0, 200_000)
        parts.append(cycle_words(session.capture.frames.times(rows)))
        parts.append(counted(session.capture.kind_size(kind), "byte"))
        explained = session.reading.counts.explained_of(kind)
        if explained is not None and explained.moving:
            parts.append(f"{explained.share_text()} explained")
        self.head.words.setText(" · ".join(parts))

    def _show_payload(self) -> None:
        session = self._session
        kind = session.in_hand.kind
        if session.capture is None or kind is None or not self.isVisible():
            return
        at = session.store.frame_at(kind, None, session.clock.cursor_ns)
        size = session.capture.kind_size(kind)
        activity = session.reading.counts.activity_of(kind)
        moves = activity.moves if activity is not None else AbacusState().moves
        payload, lit = at.payload if at is not None else b"", session.findings.lit
        state = AbacusState(size, payload, moves, session.owners.in_hand(kind, size), marked=lit)
        self.abacus.show_state(state)
        self.abacus.setMinimumHeight(self.abacus.sizeHint().height())
        self.history.show_state(state)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self._session.findings.want()
        self._refresh()
