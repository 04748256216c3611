"""What is wrong, to be read one by one: the list, and below it the one in hand with what can be done about it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import wrong
from ...app.session import Session
from ...around.table_file import ask_table_file, form_titles, write_table
from ...widgets.filter_line import FilterLine
from ...widgets.parts import EDGE, button, hairline, label
from ...widgets.words import grouped, number_text, span_text
from .problem_rows import ProblemRows


class ProblemSide(QWidget):
    """A reading list of problems.

    Attributes
    ----------
    rows, hand
        The list, and the one in hand.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._problems = session.problems
        self.filter = FilterLine("Filter the problems", "Filter problems")
        self.aside = QCheckBox()
        self.write = button("Write…", "Write the problems to a file")
        self.rows = ProblemRows(session)
        self.hand = ProblemInHand(session)
        self.hint = label("", "quiet", wrap=True)
        self._build()
        self._problems.changed.connect(self._show)
        self._problems.hand_changed.connect(self.rows.show_current)
        self.filter.textChanged.connect(self._show)
        self.filter.lead_to(self.rows, lambda: self.rows.things, self._choose)
        self.aside.toggled.connect(lambda _on: self._show())
        self.write.clicked.connect(self._ask_where)
        self.rows.chosen.connect(self._choose)
        self.rows.next_wanted.connect(lambda: self._problems.step(1))
        self._show()

    def _build(self) -> None:
        head = QVBoxLayout()
        head.setContentsMargins(EDGE - 4, 6, EDGE - 4, 4)
        line = QHBoxLayout()
        line.setSpacing(8)
        line.addWidget(self.filter, 1)
        line.addWidget(self.write)
        head.addLayout(line)
        head.addWidget(self.aside)
        head.addWidget(self.hint)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(hairline())
        column.addWidget(self.rows, 1)
        column.addWidget(self.hand)

    def begin(self) -> None:
        """Put the hands on the list."""
        self.rows.setFocus()

    def _show(self) -> None:
        told, aside = self._problems.told, self._problems.aside
        self.aside.setVisible(bool(aside))
        self.aside.setText(f"also {len(aside)} set aside")
        listed = list(told or ())
        if self.aside.isVisibleTo(self) and self.aside.isChecked():
            listed += [problem for problem, _reason in aside]
        wanted = self.filter.text().lower().split()
        listed = [one for one in listed if all(word in self._searched(one) for word in wanted)]
        self.rows.list_things(listed)
        self.write.setEnabled(bool(told))
        self.hint.setText(self._hint(len(listed)))
        self.hint.setVisible(bool(self.hint.text()))

    def _searched(self, problem: wrong.Problem) -> str:
        parts = problem.kind.words, problem.kind.value, self.rows.where(problem), problem.lane, problem.reason
        return " ".join(parts).lower()

    def _hint(self, listed: int) -> str:
        if self._session.capture is None:
            return "What is wrong in a recording will be here."
        if self._problems.told is None:
            return "Looking for what is wrong…"
        if not self._problems.told and not self._problems.aside:
            return "Nothing is wrong here, as far as can be seen."
        return "" if listed else "No problem is like that."

    def _choose(self, problem: wrong.Problem) -> None:
        if problem.kind_number is not None:
            self._session.in_hand.take_kind(problem.kind_number)
        self._problems.take(problem)

    # writing

    def _ask_where(self) -> None:
        where = ask_table_file(self, "problems", form_titles(wrong.WRITERS))
        if where is not None:
            self.write_to(*where)

    def write_to(self, path: Path, form: str = "") -> None:
        """Write the problems that are not set aside as the form that the file's name says, or the chosen one."""
        write_table(self._session, "problems", wrong.WRITERS, self._problems.write, path, form)


class ReasonLine(QLineEdit):
    """A line for a few words; Escape gives up.

    Events
    ------
    given_up
    """

    given_up = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.given_up.emit()
        else:
            super().keyPressEvent(event)


class ProblemInHand(QWidget):
    """One problem in full, its places one by one, and what can be done: set it aside, or give it a limit."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        self._problems = session.problems
        self._sets_limit = False
        self.reason = label("", wrap=True, selectable=True)
        self.why = label("", "quiet", wrap=True)
        self.place = label("", "quiet")
        self.back = button("‹", "The place before")
        self.on = button("›", "The next place (Return)")
        self.worst = button("Worst", "Go to the worst place")
        self.put_aside = button("Set aside…", "Say why it is no problem here; the trial keeps it")
        self.limit = button("Limit…", "Say from which on it is a problem here; the trial keeps it")
        self.line = ReasonLine()
        self.trouble = label("", "wrong", wrap=True)
        self._build()
        self._connect()
        self._show()

    def _build(self) -> None:
        places = QHBoxLayout()
        acts = QHBoxLayout()
        for row, buttons in ((places, (self.back, self.on, self.worst)), (acts, (self.put_aside, self.limit))):
            row.setSpacing(6)
            for one in buttons:
                row.addWidget(one)
            row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(EDGE, 8, EDGE, 8)
        column.setSpacing(6)
        column.insertWidget(0, hairline())
        for part in (self.reason, self.why, self.place):
            column.addWidget(part)
        column.addLayout(places)
        column.addLayout(acts)
        column.addWidget(self.line)
        column.addWidget(self.trouble)

    def _connect(self) -> None:
        problems = self._problems
        problems.hand_changed.connect(self._show)
        self.back.clicked.connect(lambda: problems.step(-1))
        self.on.clicked.connect(lambda: problems.step(1))
        self.worst.clicked.connect(problems.step_to_worst)
        self.put_aside.clicked.connect(self._begin_reason)
        self.limit.clicked.connect(self._begin_limit)
        self.line.returnPressed.connect(self._take)
        self.line.given_up.connect(self._end_line)

    def _show(self) -> None:
        problem = self._problems.in_hand
        self.setVisible(problem is not None)
        if problem is None:
            return
        self.reason.setText(problem.reason)
        why, limit = self._problems.reason(problem), self._problems.limit(problem)
        said = [f"Set aside: {why}"] if why else []
        said += [f"Limit of this trial: {self._limit_text(limit)}"] if limit is not None else []
        self.why.setText("\n".join(said))
        self.why.setVisible(bool(said))
        time = self._session.clock.words(int(problem.time_ns[self._problems.place]))
        places = f"place {grouped(self._problems.place + 1)} of {grouped(problem.count)}, " if problem.count > 1 else ""
        self.place.setText(f"{places}at {time} s")
        for one in (self.back, self.on, self.worst):
            one.setVisible(problem.count > 1)
        self.put_aside.setText("Take up again" if why else "Set aside…")
        self.limit.setVisible(problem.kind in wrong.LIMITED)
        self._end_line()

    def _limit_text(self, limit: float) -> str:
        problem = self._problems.in_hand
        assert problem is not None
        return span_text(limit * 1e9) if wrong.LIMITED[problem.kind] == "s" else f"{number_text(limit)} %"

    # the line below

    def _begin_reason(self) -> None:
        problem = self._problems.in_hand
        if problem is not None and self._problems.reason(problem):
            self._problems.set_aside(problem, "")
            return
        self._begin_line(limit=False, hint="Why is it no problem here?", text="")

    def _begin_limit(self) -> None:
        problem = self._problems.in_hand
        assert problem is not None
        limit = self._problems.limit(problem)
        hint = "as 300 ms" if wrong.LIMITED[problem.kind] == "s" else "as 60 %"
        self._begin_line(limit=True, hint=hint, text="" if limit is None else self._limit_text(limit))

    def _begin_line(self, *, limit: bool, hint: str, text: str) -> None:
        self._sets_limit = limit
        self.line.setPlaceholderText(hint)
        self.line.setAccessibleName("Limit" if limit else "Reason")
        self.line.setText(text)
        self.line.setVisible(True)
        self.line.setFocus()

    def _end_line(self) -> None:
        was_in_line = self.line.hasFocus()
        self.line.setVisible(False)
        self.trouble.setVisible(False)
        if was_in_line:
            self.put_aside.setFocus()

    def _take(self) -> None:
        problem, text = self._problems.in_hand, self.line.text().strip()
        assert problem is not None
        if self._sets_limit:
            trouble = self._problems.set_limit(problem, text)
            self.trouble.setText(trouble)
            self.trouble.setVisible(bool(trouble))
            if trouble:
                return
        elif text:
            self._problems.set_aside(problem, text)
        self._end_line()
