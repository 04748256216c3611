"""Puts the Intake desk together: the list of sources at left, the chosen one in the middle, problems at right."""

from __future__ import annotations

from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QShowEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from ..clock import grouped, span_text
from ..read.frame_list import FrameList
from ..session import Session
from ..theme import figure_font, look, text_font
from ..widgets.parts import DeskHead, Panel, button, clear_layout, hairline, label

if TYPE_CHECKING:
    from .. import engine as heavy

_LISTED_PROBLEMS = 100


class SourceCard(QFrame):
    """One source in the list.

    Events
    ------
    picked
        The card was clicked or Enter was pressed on it.
    """

    picked = pyqtSignal()

    def __init__(self, title: str, words: str, state: str, *, wrong: bool, chosen: bool) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{title}, {words}, {state}")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        if chosen:
            theme = look.theme
            self.setStyleSheet(f"SourceCard {{ background: {theme.selected}; border-left: 3px solid {theme.zest}; }}")
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 7, 12, 7)
        column.setSpacing(1)
        name = label(title)
        name.setFont(text_font(bold=True))
        for part in (name, label(words, "quiet", wrap=True), label(state, "wrong" if wrong else "good", wrap=True)):
            column.addWidget(part)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.picked.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.picked.emit()
        else:
            super().keyPressEvent(event)


class SourceList(Panel):
    """What was brought in, and where to drop more.

    Events
    ------
    picked
        (number) another source was chosen.
    """

    picked = pyqtSignal(int)

    def __init__(self, session: Session) -> None:
        super().__init__("Brought in")
        self._session = session
        self._chosen = 0
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(0)
        session.opened.connect(self.refresh)
        look.changed.connect(self.refresh)

    def refresh(self) -> None:
        """List the sources again."""
        session = self._session
        self.clear()
        count = len(session.outcomes)
        self.note.setText(f"{count} source{'s' if count != 1 else ''}")
        self._chosen = min(self._chosen, max(count - 1, 0))
        for number, outcome in enumerate(session.outcomes):
            card = self._card(number, outcome)
            card.picked.connect(lambda number=number: self.choose(number))
            self.body.addWidget(card)
            self.body.addWidget(hairline())
        for reference in session.trial.file.references if session.trial is not None else ():
            card = SourceCard(reference, "reference measurements", "kept with the trial", wrong=False, chosen=False)
            self.body.addWidget(card)
            self.body.addWidget(hairline())
        self.body.addWidget(self._drop_zone())
        self.body.addStretch(1)

    def choose(self, number: int) -> None:
        """Choose a source."""
        self._chosen = number
        self.refresh()
        self.picked.emit(number)

    def _card(self, number: int, outcome: heavy.SourceOutcome) -> SourceCard:
        report = outcome.report
        frames = grouped(report.frames)
        state, wrong = "read whole", False
        if outcome.error:
            state, wrong = "could not be read", True
        elif report.problem_count:
            state, wrong = f"{report.problem_count} problems, the rest is read", True
        words = f"{report.format_name} · {frames} frames"
        return SourceCard(outcome.path.name, words, state, wrong=wrong, chosen=number == self._chosen)

    def _drop_zone(self) -> QWidget:
        zone = button("Drop recordings here\nor choose them (Ctrl O)", "Bring more recordings into this trial")
        zone.setStyleSheet(f"QPushButton {{ border: 1px dashed {look.theme.rod}; border-radius: 8px; padding: 16px; "
                           f"margin: 14px; color: {look.theme.quiet}; }}")  # fmt: skip
        zone.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        zone.clicked.connect(self._ask)
        return zone

    def _ask(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Bring recordings in")
        if names:
            self._session.open_paths([Path(name) for name in names])


class ProblemPanel(Panel):
    """Everything that was left out, with its place in the file."""

    def __init__(self) -> None:
        super().__init__("Problems")

    def show_outcome(self, outcome: heavy.SourceOutcome | None) -> None:
        """List the problems of a source."""
        self.clear()
        if outcome is None:
            self.note.setText("")
            self.body.addStretch(1)
            return
        report = outcome.report
        self.note.setText(f"{report.problem_count + bool(outcome.error)}")
        if outcome.error:
            self.body.addWidget(label(outcome.error, "wrong", wrap=True, selectable=True))
        elif not report.problem_count:
            self.body.addWidget(label("Nothing was left out of this recording.", "quiet", wrap=True))
        for problem in report.problems[:_LISTED_PROBLEMS]:
            place = label(problem.place, selectable=True)
            place.setFont(figure_font(12, bold=True))
            self.body.addWidget(place)
            self.body.addWidget(label(problem.reason, "quiet", wrap=True))
            self.body.addWidget(hairline())
        more = report.problem_count - _LISTED_PROBLEMS
        if more > 0:
            self.body.addWidget(label(f"and {more} more", "quiet"))
        self.body.addStretch(1)


class IntakeDesk(QWidget):
    """A source in the middle: what it is, its lanes with their names and offsets.

    Attributes
    ----------
    left, side
        The panels for the left and right of the window.
    """

    name = "Intake"

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._number = 0
        self.left = SourceList(session)
        self.side = ProblemPanel()
        self.head = DeskHead("Intake")
        self.again = button("Take out of the trial", "The file stays where it is; undo by bringing it in again")
        self.head.row.addWidget(self.again)
        self.again.clicked.connect(lambda: session.remove_source(self._number))
        self.problem = label("", "wrong", wrap=True)
        inner = QWidget()
        self.body = QVBoxLayout(inner)
        self.body.setContentsMargins(18, 12, 18, 10)
        self.body.setSpacing(8)
        self.out_words = label("What came out", "title")
        self.out_words.setFont(text_font(bold=True))
        self.out_words.setContentsMargins(18, 6, 18, 4)
        self.out = FrameList(session)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(hairline())
        column.addWidget(inner)
        column.addWidget(hairline())
        column.addWidget(self.out_words)
        column.addWidget(self.out, 1)
        self.left.picked.connect(self._pick)
        session.opened.connect(self._refresh)
        session.trial_changed.connect(self._refresh)
        self._refresh()

    def sizeHint(self) -> QSize:
        return QSize(700, 500)

    def _pick(self, number: int) -> None:
        self._number = number
        self._refresh()

    def _refresh(self) -> None:
        clear_layout(self.body)
        outcomes = self._session.outcomes
        for part in (self.again, self.out, self.out_words):
            part.setVisible(bool(outcomes))
        if not outcomes:
            self._show_empty()
            return
        self._number = min(self._number, len(outcomes) - 1)
        outcome = outcomes[self._number]
        self.side.show_outcome(outcome)
        self.head.title.setText(outcome.path.name)
        self.head.words.setText(f"{outcome.report.format_name} into frames")
        self._show_facts(outcome)
        self._show_lanes(outcome)
        self.problem = label("", "wrong", wrap=True)
        self.problem.hide()
        self.body.addWidget(self.problem)
        self._list_frames()

    def _list_frames(self) -> None:
        """List the frames of the chosen source's lanes, only while somebody looks: it counts through all frames."""
        outcomes = self._session.outcomes
        if self.isVisible() and self._number < len(outcomes):
            names = [lane.name for lane in self._session.capture.lanes]
            wanted = outcomes[self._number].lanes
            self.out.show_only_lanes(frozenset(names.index(lane) for lane in wanted if lane in names))

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._list_frames()

    def _say(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.show()

    def _show_empty(self) -> None:
        self.side.show_outcome(None)
        self.head.title.setText("Intake")
        words = "Drop recordings here, press Ctrl O, or open the Yuzu trial to look around."
        hint = label(words, "quiet", wrap=True)
        self.body.addWidget(hint)
        demo = button("Open the Yuzu trial", main=True)
        demo.clicked.connect(self._session.open_demo)
        row = QHBoxLayout()
        row.addWidget(demo)
        row.addStretch(1)
        self.body.addLayout(row)

    def _show_facts(self, outcome: heavy.SourceOutcome) -> None:
        report = outcome.report
        facts = [
            ("file", home_short(outcome.path)),
            ("format", report.format_name),
            ("frames", grouped(report.frames)),
            ("time covered", span_text(outcome.last_ns - outcome.first_ns) if report.frames else "none"),
            ("began", _date_text(outcome.first_ns) if report.frames else "–"),
            ("left out", f"{report.problem_count} pieces" if report.problem_count else "nothing"),
        ]
        grid = QGridLayout()
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(6)
        grid.setColumnStretch(1, 1)
        for row, (name, value) in enumerate(facts):
            grid.addWidget(label(name, "quiet"), row, 0)
            shown = label(value, wrap=name == "file", selectable=True)
            grid.addWidget(shown, row, 1)
        holder = QWidget()
        holder.setLayout(grid)
        self.body.addWidget(holder)

    def _show_lanes(self, outcome: heavy.SourceOutcome) -> None:
        self.body.addSpacing(6)
        heading = label("Lanes of this source")
        heading.setFont(text_font(bold=True))
        self.body.addWidget(heading)
        self.body.addWidget(
            label("A lane's offset is added to all its times, to put several clocks on one. Enter keeps an entry.",
                  "quiet", wrap=True)
        )  # fmt: skip
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(6)
        for column, name in enumerate(("in the file", "lane", "note", "offset ms")):
            grid.addWidget(label(name, "section"), 0, column)
        interfaces = outcome.report.lanes or [""]
        for row, (interface, lane) in enumerate(zip(interfaces, outcome.lanes, strict=False), 1):
            entry = self._session.trial.file.lane_entry(lane)
            grid.addWidget(label(interface or "(no name)"), row, 0)
            edits = (
                ("lane", lane, partial(self._rename, interface, lane)),
                ("note", entry.note, partial(self._set_note, lane)),
                ("offset", f"{entry.offset_ns / 1e6:g}", partial(self._set_offset, lane)),
            )
            for column, (name, text, take) in enumerate(edits, 1):
                line = QLineEdit(text)
                line.setAccessibleName(f"{name} of {lane}")
                line.returnPressed.connect(lambda line=line, take=take: take(line.text().strip()))
                grid.addWidget(line, row, column)
        holder = QWidget()
        holder.setLayout(grid)
        self.body.addWidget(holder)

    def _rename(self, interface: str, lane: str, text: str) -> None:
        if not text:
            self._say("A lane needs a name.")
            return
        file = self._session.trial.file
        source = file.sources[self._number]
        changed = msgspec.structs.replace(source, lanes={**source.lanes, interface or "": text})
        sources = tuple(changed if n == self._number else item for n, item in enumerate(file.sources))
        entry = msgspec.structs.replace(file.lane_entry(lane), name=text)
        lanes = tuple(item for item in file.lanes if item.name not in (lane, text))
        self._session.change_trial(msgspec.structs.replace(file, sources=sources, lanes=(*lanes, entry)))

    def _set_note(self, lane: str, text: str) -> None:
        file = self._session.trial.file
        self._session.change_trial(file.with_lane(msgspec.structs.replace(file.lane_entry(lane), note=text)))

    def _set_offset(self, lane: str, text: str) -> None:
        file = self._session.trial.file
        try:
            offset = round(self._session.engine.parse_exact(text or "0") * 1_000_000)
        except self._session.engine.AbacusError as error:
            self._say(str(error))
            return
        self._session.change_trial(file.with_lane(msgspec.structs.replace(file.lane_entry(lane), offset_ns=offset)))


def home_short(path: Path) -> str:
    """Return a path with the user's own folder as ``~``."""
    home = Path.home()
    return f"~/{path.relative_to(home)}" if path.is_relative_to(home) else str(path)


def _date_text(time_ns: int) -> str:
    return f"{datetime.fromtimestamp(time_ns / 1e9, UTC):%Y-%m-%d %H:%M:%S} UTC"
