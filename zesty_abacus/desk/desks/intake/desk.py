"""Puts the Intake desk together: sources at left, waves and what came out in the middle, the recipe at right."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import QPoint, QSize, QTimer
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from ...app.asking import Asking
from ...app.doors import asked, lines
from ...app.session import Session
from ...around.ask_menu import ask_menu
from ...around.condition_line import ConditionLine
from ...around.frame_list import FrameList
from ...widgets.parts import Choice, DeskHead, NoWheel, button, hairline, label, scrolled
from ...widgets.theme import text_font
from ..desk import Desk
from .asked_outcome import AskedOutcome
from .bench import Bench
from .came_out import CameOut
from .columns_picker import ColumnsPicker
from .facts import SourceFacts
from .recipe_panel import RecipePanel
from .sources import ProblemPanel, SourceList
from .waves import WaveView
from .waves_page import WavesPage


class IntakeDesk(Desk):
    """A source in the middle: its waves with what was decoded, or what it is and its lanes.

    Attributes
    ----------
    bench
        The source in hand and its recipe.
    left, side
        The panels for the left and right of the window.
    """

    name = "Intake"
    side: QStackedWidget
    left: SourceList

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.bench = Bench(session)
        self.left = SourceList(session)
        self.problems = ProblemPanel()
        self.recipe = RecipePanel(self.bench)
        self.side = QStackedWidget()
        self.side.addWidget(self.problems)
        self.side.addWidget(self.recipe)
        self._build_head()
        self.facts = SourceFacts(session)
        self.waves = WaveView(self.bench)
        self._asked_of = AskedOutcome(self.bench)
        self.asking = Asking(session.jobs, self._asked_of, session.trials, self._asked_of.go)
        self.condition = ConditionLine(session, self.asking)
        self.came_out = CameOut(self.bench, self.asking)
        self.picker = ColumnsPicker(self.bench)
        self.out = FrameList(session)
        self.empty = self._empty_page()
        self.waves_page = WavesPage(session, self.bench, self.waves, self.condition, self.came_out)
        self.pages = QStackedWidget()
        for page in (self.empty, self._frames_page(), self.waves_page, self.picker):
            self.pages.addWidget(page)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(hairline())
        column.addWidget(self.pages, 1)
        self.left.picked.connect(self._pick)
        self.came_out.pointed.connect(lambda row, at: self._offer(self._asked_of.offers(row), at))
        self.waves.pointed.connect(self._on_mark)
        self.recipe.columns_wanted = self._begin_columns
        self.picker.done.connect(self._refresh)
        self.bench.source_changed.connect(self._refresh)
        self.bench.recipe_changed.connect(self._on_recipe)
        self.bench.outcome_changed.connect(self.waves_page.show_counts)
        session.opened.connect(self._on_opened)
        session.trial_changed.connect(self._refresh)
        self._refresh()

    def keys_first(self) -> tuple[QWidget, ...]:
        # a recording of frames has no waves
        return self.waves, self.out

    def step_frame(self, by: int) -> bool:
        """Go so many frames on in the desk's own list; say whether it has one."""
        if self.bench.outcome is None:
            return False
        self.came_out.go(by)
        return True

    def show_source(self, number: int) -> None:
        """Show a recording of the trial."""
        self.left.choose(number)

    def sizeHint(self) -> QSize:
        return QSize(700, 500)

    # parts

    def _build_head(self) -> None:
        self.head = DeskHead("Intake")
        self.format = Choice()
        self.format.setAccessibleName("format of the file")
        self.format.setToolTip("What the content says; choose another if it is wrong")
        self.format.installEventFilter(NoWheel(self))
        self.format.activated.connect(lambda _index: self._overrule())
        self.twice = button("Read once more", "Give it another recipe besides, with a lane of its own")
        self.twice.clicked.connect(lambda: self._session.trials.read_twice(self.bench.number))
        self.again = button("Take out", "Out of the trial; the file stays where it is, and Ctrl Z brings it back")
        self.again.clicked.connect(lambda: self._session.trials.remove_source(self.bench.number))
        self.head.row.addWidget(self.format)
        self.head.row.addWidget(self.twice)
        self.head.row.addWidget(self.again)

    def _frames_page(self) -> QWidget:
        page = QWidget()
        self.out_words = label("What came out", "title")
        self.out_words.setFont(text_font(bold=True))
        self.out_words.setContentsMargins(18, 6, 18, 4)
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        # a source of many lanes takes more than there is
        self._facts_area = scrolled(self.facts)
        column.addWidget(self._facts_area, 1)
        column.addWidget(hairline())
        column.addWidget(self.out_words)
        column.addWidget(self.out, 1)
        return page

    def _fit_facts(self) -> None:
        """Let the facts be as high as they want to be, where there is room."""
        self._facts_area.setMaximumHeight(self.facts.sizeHint().height() + 2)

    def _empty_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(18, 12, 18, 10)
        words = "Drop recordings here, press Ctrl O, or open the Yuzu trial to look around."
        column.addWidget(label(words, "quiet", wrap=True))
        demo = button("Open the Yuzu trial", main=True)
        demo.clicked.connect(self._session.trials.open_demo)
        row = QHBoxLayout()
        row.addWidget(demo)
        row.addStretch(1)
        column.addLayout(row)
        column.addStretch(1)
        return page

    def _offer(self, offers: list[tuple[str, str]], at: QPoint) -> None:
        """Offer what may be asked of what came out."""
        if offers:
            ask_menu(self, self._session, offers, at, self.asking)

    def _on_mark(self, value: int, is_data: bool, flags: int, row: int, at: QPoint) -> None:
        """Offer what may be asked of a stretch of the wave, and of the frame that it belongs to."""
        self._offer([*asked.of_mark(value, is_data, flags), *(self._asked_of.offers(row) if row >= 0 else ())], at)

    # events

    def _on_opened(self) -> None:
        self._refresh()
        if self.isVisible() and self.bench.opened is None:
            self.bench.choose(self.bench.number)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._session.outcomes and self.bench.opened is None:
            self.bench.choose(self.bench.number)
        self._list_frames()

    def _pick(self, number: int) -> None:
        self.bench.choose(number)

    def _refresh(self) -> None:
        outcomes = self._session.outcomes
        for part in (self.again, self.format):
            part.setVisible(bool(outcomes))
        if not outcomes:
            self.problems.show_outcome(None)
            self.side.setCurrentWidget(self.problems)
            self.head.title.setText("Intake")
            self.head.words.setText("")
            self.pages.setCurrentIndex(0)
            return
        number = min(self.bench.number, len(outcomes) - 1)
        outcome = outcomes[number]
        self.head.title.setText(outcome.path.name)
        self._show_format(outcome.report.format_name)
        self.problems.show_outcome(outcome)
        opened = self.bench.opened
        self.side.setCurrentWidget(self.recipe if opened is not None else self.problems)
        self.facts.show_source(number)
        # parts that are new are shown, and take room, when the events in hand are done
        QTimer.singleShot(0, self._fit_facts)
        self.waves.setVisible(opened is not None and opened.recording is not None)
        if opened is None or self._is_read_whole():
            self.head.words.setText(f"{outcome.report.format_name} into frames")
            self.pages.setCurrentIndex(1)
            self._list_frames()
        elif opened.recording is None:
            told = " · ".join(f"{name} {value}" for name, value in outcome.facts)
            self.head.words.setText(told or f"{outcome.report.format_name} into frames")
            self.pages.setCurrentIndex(2)
        else:
            kinds = {channel.words for channel in opened.recording.channels}
            count = len(opened.recording.channels)
            self.head.words.setText(f"{count} {' and '.join(sorted(kinds))} channel{'s' if count != 1 else ''}")
            self.pages.setCurrentIndex(2)
        self.waves_page.show_counts()

    def _is_read_whole(self) -> bool:
        """Return whether the frames of the source in hand are there without a recipe.

        A table is opened all the same, since its columns may be chosen.
        """
        opened, outcome = self.bench.opened, self._session.outcomes[self.bench.number]
        is_bare = opened is None or (opened.recording is None and self.bench.recipe is None)
        return is_bare and outcome.holds == "frames" and bool(outcome.lanes)

    def _on_recipe(self) -> None:
        """Show what a recipe gives where there is one now, or the frames as they are where there is none any more."""
        opened, page = self.bench.opened, self.pages.currentIndex()
        if opened is not None and page in (1, 2) and self._is_read_whole() != (page == 1):
            self._refresh()

    def _show_format(self, name: str) -> None:
        if self._session.capture is None:
            return
        self.format.clear()
        self.format.addItems(lines.form_names())
        self.format.setCurrentText(name)

    def _overrule(self) -> None:
        """Read the source as another format."""
        file = self._session.trial.file
        entry = msgspec.structs.replace(file.sources[self.bench.number], form=self.format.currentText())
        self._session.trials.change(file.with_source(self.bench.number, entry), "read as another format")

    def _begin_columns(self) -> None:
        self.picker.begin()
        self.pages.setCurrentWidget(self.picker)

    def _list_frames(self) -> None:
        """List the frames of the chosen source's lanes, only while somebody looks: it counts through all frames."""
        outcomes = self._session.outcomes
        if self.isVisible() and self.bench.number < len(outcomes):
            names = [lane.name for lane in self._session.capture.lanes]
            wanted = outcomes[self.bench.number].lanes
            self.out.listed.show_lanes(frozenset(names.index(lane) for lane in wanted if lane in names))
