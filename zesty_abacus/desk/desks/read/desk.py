"""Puts the Read desk together."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QButtonGroup, QCheckBox, QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from ...app.commands import Command
from ...app.session import PAYLOAD_FORMS, Session
from ...around.condition_line import ConditionLine
from ...around.frame_list import FrameList
from ...widgets.parts import button, hairline, label
from .exchange_list import ExchangeList
from .side import ReadSide
from .traces import TraceStack


class ReadDesk(QWidget):
    """Traces above, frames or exchanges below; readout and problems go to the right of the window.

    Attributes
    ----------
    side
        The panel for the right side.
    """

    name = "Read"

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.traces = TraceStack(session)
        self.frames = FrameList(session)
        self.exchanges = ExchangeList(session)
        self.side = ReadSide(session)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.condition = ConditionLine(session)
        column.addWidget(self.condition)
        column.addWidget(hairline())
        split = QSplitter(Qt.Orientation.Vertical)
        split.setHandleWidth(1)
        split.setChildrenCollapsible(False)
        split.addWidget(self.traces)
        lower = QWidget()
        lower_column = QVBoxLayout(lower)
        lower_column.setContentsMargins(0, 0, 0, 0)
        lower_column.setSpacing(0)
        lower_column.addLayout(self._frame_tools())
        self._lists = QStackedWidget()
        self._lists.addWidget(self.frames)
        self._lists.addWidget(self.exchanges)
        lower_column.addWidget(self._lists, 1)
        split.addWidget(lower)
        split.setSizes([360, 280])
        column.addWidget(split, 1)
        session.problems.list_wanted.connect(self._show_problems)

    def commands(self) -> list[Command]:
        """Return what can be done on this desk."""
        wanted = self._session.problems.list_wanted.emit
        return [
            Command("ask", "Ask something of the frames", "Q", self.condition.begin, self._is_open, "Read"),
            Command("problems", "Read what is wrong", "W", wanted, self._is_open),
        ]

    def _show_problems(self) -> None:
        self._session.desk_wanted.emit(self.name)
        self.side.show_problems()

    def _is_open(self) -> bool:
        return self._session.capture is not None

    def step_frame(self, by: int) -> bool:
        """Go so many frames on in the desk's own list; say whether it has one."""
        (self.exchanges if self.answers.isChecked() else self.frames).go(by)
        return True

    def _frame_tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(12, 5, 12, 2)
        row.setSpacing(6)
        row.addWidget(label("Frames", "title"))
        self.all_kinds = button("all kinds", "List every frame")
        self.this_kind = button("this kind", "List only frames of the kind in hand")
        scope = QButtonGroup(self)
        self.only_hits = button("hits", "List only frames in which the condition holds")
        self.answers = button("exchanges", "List requests with what came back, a line each")
        for choice in (self.all_kinds, self.this_kind, self.only_hits, self.answers):
            choice.setCheckable(True)
            scope.addButton(choice)
            row.addWidget(choice)
        self.all_kinds.setChecked(True)
        self.this_kind.toggled.connect(self.frames.show_only_kind)
        self.only_hits.toggled.connect(self.frames.show_only_hits)
        self.answers.toggled.connect(self._show_exchanges)
        self.wrong_first = QCheckBox("unanswered first")
        self.wrong_first.toggled.connect(self._session.exchanges.show_unanswered_first)
        row.addWidget(self.wrong_first)
        self._session.asking.changed.connect(self._on_asked)
        self._on_asked()
        row.addStretch(1)
        self._of_frames: list[QWidget] = [label("payload as", "quiet")]
        row.addWidget(self._of_frames[0])
        self._forms = QButtonGroup(self)
        for form in PAYLOAD_FORMS:
            choice = button(form, f"Show payloads as {form} ({form[0].upper()})")
            choice.setCheckable(True)
            choice.setChecked(form == self._session.form)
            choice.clicked.connect(lambda _on, form=form: self._session.set_form(form))
            self._forms.addButton(choice)
            row.addWidget(choice)
            self._of_frames.append(choice)
        self._session.form_changed.connect(self._show_form)
        self.wrong_first.hide()
        return row

    def _show_exchanges(self, shown: bool) -> None:
        self._session.exchanges.want(shown)
        self._lists.setCurrentIndex(1 if shown else 0)
        self.wrong_first.setVisible(shown)
        for part in self._of_frames:
            part.setVisible(not shown)

    def _on_asked(self) -> None:
        self.only_hits.setEnabled(self._session.asking.hits is not None)
        if self.only_hits.isChecked() and not self._session.asking.text.strip():
            self.all_kinds.setChecked(True)

    def _show_form(self) -> None:
        for choice in self._forms.buttons():
            choice.setChecked(choice.text() == self._session.form)
