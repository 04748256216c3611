"""Puts the Read desk together."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QButtonGroup, QCheckBox, QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from ...app.payload_form import PAYLOAD_FORMS, heading
from ...app.session import Session
from ...app.traces import Trace
from ...around.condition_line import ConditionLine
from ...around.frame_list import FrameList
from ...widgets.parts import button, hairline, label, menu_of
from ...widgets.wrapping import WrappingRow
from ..desk import Desk
from .array_curve import ArrayCurve
from .beside_list import BesideList
from .exchange_list import ExchangeList
from .plot_view import PlotView
from .plots import ArrayOverTimePlot, CloudPlot, DistancesPlot, HistogramPlot, Plot, RoundPlot
from .side import ReadSide
from .traces import TraceStack


class ReadDesk(Desk):
    """Traces above, frames or exchanges below; readout and problems go to the right of the window.

    Attributes
    ----------
    side
        The panel for the right side.
    """

    name = "Read"
    side: ReadSide

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.traces = TraceStack(session)
        self.frames = FrameList(session)
        self.exchanges = ExchangeList(session)
        self.beside = BesideList(session)
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
        self.plots = PlotView(session)
        self._upper = QStackedWidget()
        self._upper.addWidget(self.traces)
        self._upper.addWidget(self.plots)
        split.addWidget(self._upper)
        lower = QWidget()
        lower_column = QVBoxLayout(lower)
        lower_column.setContentsMargins(0, 0, 0, 0)
        lower_column.setSpacing(0)
        lower_column.addLayout(self._frame_tools())
        self._lists = QStackedWidget()
        self._lists.addWidget(self.frames)
        self._lists.addWidget(self.exchanges)
        self._lists.addWidget(self.beside)
        lower_column.addWidget(self._lists, 1)
        split.addWidget(lower)
        split.setSizes([360, 280])
        column.addWidget(split, 1)
        session.problems.list_wanted.connect(self._show_problems)
        self.traces.plot_wanted.connect(self._show_plot)
        self.side.readout.values.array_wanted.connect(self._show_array)
        self.plots.closed.connect(lambda: self._upper.setCurrentIndex(0))

    def keys_first(self) -> tuple[QWidget, ...]:
        return (self.frames,)

    def _show_plot(self, sort: str, along: Trace, up: Trace) -> None:
        """Show a picture of one or two traces in their place."""
        made: dict[str, Callable[[], Plot]] = {
            "values": lambda: HistogramPlot(self._session, up), "distances": lambda: DistancesPlot(self._session, up),
            "cloud": lambda: CloudPlot(self._session, along, up),
        }  # fmt: skip
        self.plots.show_plot(made[sort]())
        self._upper.setCurrentWidget(self.plots)

    def _show_array(self, kind: int, curve: ArrayCurve, is_round: bool) -> None:
        """Show an array over time, or round its angle."""
        plot = RoundPlot if is_round else ArrayOverTimePlot
        self.plots.show_plot(plot(self._session, kind, curve.array_id, curve.field_id, curve.title))
        self._upper.setCurrentWidget(self.plots)

    def _show_problems(self) -> None:
        self._session.desk_wanted.emit(self.name)
        self.side.show_problems()

    def step_frame(self, by: int) -> bool:
        """Go so many frames on in the desk's own list; say whether it has one."""
        shown = self._lists.currentWidget()
        (shown if isinstance(shown, ExchangeList) else self.frames).go(by)
        return True

    def _frame_tools(self) -> WrappingRow:
        row = WrappingRow(5, last_right=True)
        row.setContentsMargins(12, 5, 12, 2)
        row.addWidget(label("Frames", "title"))
        self.all_kinds = button("all kinds", "List every frame")
        self.this_kind = button("this kind", "List only frames of the kind in hand")
        self.only_hits = button("hits", "List only frames in which the condition holds")
        self.answers = button("exchanges", "List requests with what came back, a line each")
        self.side_by_side = button("side by side", "Compare the message in hand with the same on other lanes")
        scope = QButtonGroup(self)
        for choice in (self.all_kinds, self.this_kind, self.only_hits, self.answers, self.side_by_side):
            choice.setCheckable(True)
            scope.addButton(choice)
            row.addWidget(choice)
        self.all_kinds.setChecked(True)
        self.this_kind.toggled.connect(self.frames.listed.show_kind)
        self.only_hits.toggled.connect(self.frames.listed.show_hits)
        for place, choice in ((1, self.answers), (2, self.side_by_side)):
            choice.toggled.connect(lambda on, place=place: self._show_list(place if on else 0))
        self._session.asking.changed.connect(self._on_asked)
        self._on_asked()
        self._tools = [self._form_tools(), self._exchange_tools(), self._beside_tools()]
        beside = QWidget()
        own = QHBoxLayout(beside)
        own.setContentsMargins(0, 0, 0, 0)
        for place, tools in enumerate(self._tools):
            own.addWidget(tools)
            tools.setVisible(place == 0)
        row.addWidget(beside)
        return row

    def _form_tools(self) -> QWidget:
        """Return how payloads are shown: what there is to choose of frames."""
        self.form = button("", "Show payloads in another form (H, D, B, T); the same key again: what fits them")
        self.form.clicked.connect(self._choose_form)
        self._session.form.changed.connect(self._show_form)
        self._show_form()
        return _row_of(self.form)[0]

    def _choose_form(self) -> None:
        menu = menu_of(self)
        for form in PAYLOAD_FORMS:
            action = menu.addAction(f"{form}\t{form[0].upper()}")
            assert action is not None, "it was just added"
            action.setCheckable(True)
            action.setChecked(form == self._session.form.asked)
            action.triggered.connect(lambda _on=False, form=form: self._session.form.ask(form))
        menu.popup(self.form.mapToGlobal(self.form.rect().bottomLeft()))

    def _exchange_tools(self) -> QWidget:
        self.wrong_first = QCheckBox("unanswered first")
        self.wrong_first.toggled.connect(self._session.exchanges.show_unanswered_first)
        return _row_of(self.wrong_first)[0]

    def _beside_tools(self) -> QWidget:
        session = self._session
        add = button("Add", "Set the message in hand beside them")
        begin = button("Begin with this", "Compare the message in hand with all that are like it")
        back, on = button("‹", "The difference before"), button("›", "The next difference")
        for one, act in ((add, session.beside.add), (begin, session.beside.begin_with)):
            one.clicked.connect(
                lambda _on, act=act: act(session.in_hand.kind) if session.in_hand.kind is not None else None
            )
        for one, by in ((back, -1), (on, 1)):
            one.clicked.connect(lambda _on, by=by: self.beside.go_to_difference(by))
        self.beside_buttons = {"add": add, "begin": begin, "back": back, "on": on}
        return _row_of(begin, add, back, on)[0]

    def _show_list(self, place: int) -> None:
        """Show frames, exchanges or streams side by side, each with its own tools."""
        if place == 0 and (self.answers.isChecked() or self.side_by_side.isChecked()):
            return  # the other of the two is just being shown
        self._session.exchanges.want(place == 1)
        self._session.beside.want(place == 2, self._session.in_hand.kind)
        self._lists.setCurrentIndex(place)
        for number, tools in enumerate(self._tools):
            tools.setVisible(number == place)

    def _on_asked(self) -> None:
        self.only_hits.setEnabled(self._session.asking.hits is not None)
        if self.only_hits.isChecked() and not self._session.asking.text.strip():
            self.all_kinds.setChecked(True)

    def _show_form(self) -> None:
        self.form.setText(f"{heading('payload', self._session.form.asked)} ▾")


def _row_of(*parts: QWidget) -> tuple[QWidget, QHBoxLayout]:
    """Return parts beside one another, and what more can be put behind them."""
    made = QWidget()
    row = QHBoxLayout(made)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(6)
    for part in parts:
        row.addWidget(part)
    return made, row
