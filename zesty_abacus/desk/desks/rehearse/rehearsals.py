"""The rehearsals of the library: chosen, run, each step with how it came out and by which frame."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ....core.errors import AbacusError
from ...app.doors import going
from ...app.jobs import Jobs
from ...app.rehearsing import Rehearsing
from ...widgets.parts import USES_SPACE, Choice, button, clear_layout, label, scrolled
from ...widgets.theme import look, text_font
from .editing import StepEditor, StepTools

_SIGNS = {"passed": "✓", "failed": "✗", "left out": "–", "": "▸"}


class Rehearsals(QWidget):
    """Chooses a rehearsal and runs it.

    Attributes
    ----------
    choice, run_button
    steps
        The step rows that are shown, in order.
    """

    def __init__(
        self, rehearsing: Rehearsing, jobs: Jobs, library: Callable[[], Any], author: Callable[[], str]
    ) -> None:  # fmt: skip
        super().__init__()
        self._rehearsing, self._jobs, self._library, self._author = rehearsing, jobs, library, author
        self._draft: Any = None
        self._path: tuple[int, ...] = ()
        self._known: dict[str, Any] = {}
        self._wanted = ""
        self.choice = Choice()
        self.choice.setAccessibleName("Rehearsal")
        self.run_button = button("Run", "Run it on the lanes that may send (R)", main=True)
        self.bring = button("Bring one in …", "Keep the rehearsal of a file in the library")
        self.new = button("New", "Begin an empty rehearsal")
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the rehearsal")
        self.editor = StepEditor(self._take_step)
        self.tools = StepTools(self._add, self._move, self._take_out, self._keep)
        self.report = button("Write the report …", "Write the outcome as JUnit XML")
        self.note = label("", "quiet", wrap=True)
        self.outcome = label("", "quiet", wrap=True)
        self.steps: list[_StepRow] = []
        self._column = QVBoxLayout()
        self._column.setSpacing(4)
        inner = QWidget()
        inside = QVBoxLayout(inner)
        inside.setContentsMargins(12, 4, 12, 12)
        inside.addLayout(self._column)
        inside.addStretch(1)
        act = QHBoxLayout()
        act.setSpacing(8)
        act.addWidget(self.run_button)
        act.addWidget(self.new)
        act.addWidget(self.bring)
        act.addStretch(1)
        head = QVBoxLayout()
        head.setContentsMargins(12, 8, 12, 4)
        head.setSpacing(6)
        head.addWidget(self.choice)
        head.addWidget(self.note)
        head.addLayout(act)
        head.addWidget(self.name)
        head.addWidget(self.tools)
        head.addWidget(self.outcome)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(scrolled(inner), 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(12, 4, 12, 8)
        foot.addWidget(self.report)
        foot.addStretch(1)
        column.addLayout(foot)
        self.choice.currentTextChanged.connect(self._show)
        self.run_button.clicked.connect(self.run)
        self.bring.clicked.connect(self._ask_bring)
        self.new.clicked.connect(self._begin)
        self.name.editingFinished.connect(self._take_name)
        self.report.clicked.connect(self._ask_report)
        rehearsing.stepped.connect(self._on_step)
        rehearsing.ended.connect(self._refresh)
        self._refresh()

    def read(self) -> None:
        """Read what the library has."""
        library = self._library()
        if library is None:
            return

        def work(_progress: Any) -> dict[str, Any]:
            found = {}
            for head in library.rehearsals.heads():
                found[head.state.name] = going.rehearsal_from_json(head.state.text.encode(), head.state.name)
            return found

        self._jobs.start(
            "rehearsals", "reading rehearsals", work, self._offer, lambda words: self.outcome.setText(words)
        )

    def _offer(self, known: dict[str, Any]) -> None:
        chosen, self._wanted = self._wanted or self.choice.currentText(), ""
        is_edited = self._draft is not None and self._draft != self._known.get(self._draft.name)
        self._known = known
        self.choice.blockSignals(True)
        self.choice.clear()
        self.choice.addItems(sorted(known))
        self.choice.blockSignals(False)
        if chosen in known:
            self.choice.blockSignals(True)
            self.choice.setCurrentText(chosen)
            self.choice.blockSignals(False)
        # what is being edited stays in hand while others change the library
        if not is_edited:
            self._show(self.choice.currentText())

    def _show(self, name: str) -> None:
        rehearsal = self._known.get(name)
        self.note.setText(
            rehearsal.note
            if rehearsal is not None
            else "The library keeps no rehearsal yet. Begin one, or bring one in from a file."
        )
        self.outcome.setText("")
        self._draft, self._path = rehearsal, ()
        self._show_draft()

    # editing

    @property
    def draft(self) -> Any:
        """The rehearsal as it is edited, None for none."""
        return self._draft

    def _show_draft(self) -> None:
        draft = self._draft
        self.name.setVisible(draft is not None)
        self.tools.setVisible(draft is not None)
        if draft is not None and self.name.text() != draft.name:
            self.name.setText(draft.name)
        steps = [] if draft is None else [(path, step.words()) for path, step in going.paths_of(draft)]
        self._fill([(".".join(str(place + 1) for place in path), words, path) for path, words in steps])
        self.editor.show_step(going.step_at(draft, self._path) if self._path else None)
        is_kept = draft is None or draft == self._known.get(draft.name)
        self.tools.keep.setEnabled(not is_kept)
        self._refresh()

    def pick(self, path: tuple[int, ...]) -> None:
        """Take a step in hand by its path; the one that is in hand is put down."""
        self._path = () if path == self._path else path
        self._show_draft()

    def _take_step(self, step: Any) -> None:
        self._draft = going.with_step(self._draft, self._path, step)
        for row in self.steps:
            if row.path == self._path:
                row.say(step.words())
        self.tools.keep.setEnabled(True)

    def _take_name(self) -> None:
        if self._draft is not None and self.name.text().strip() and self.name.text() != self._draft.name:
            self._draft = msgspec.structs.replace(self._draft, name=self.name.text().strip())
            self._show_draft()

    def _begin(self) -> None:
        self._draft, self._path = going.Rehearsal(name="A rehearsal of mine"), ()
        self.note.setText("Add steps, give it a name, and keep it.")
        self.outcome.setText("")
        self._show_draft()
        self.name.setFocus()
        self.name.selectAll()

    def _add(self, step: Any) -> None:
        if self._draft is not None:
            self._draft, self._path = going.with_added(self._draft, self._path, step)
            self._show_draft()

    def _move(self, by: int) -> None:
        if self._path:
            self._draft, self._path = going.moved(self._draft, self._path, by)
            self._show_draft()

    def _take_out(self) -> None:
        if self._path:
            self._draft, self._path = going.without(self._draft, self._path), ()
            self._show_draft()

    def _keep(self) -> None:
        library, draft, author = self._library(), self._draft, self._author()
        if library is None or draft is None:
            return

        def work(_progress: Any) -> None:
            text = going.rehearsal_to_json(draft).decode()
            going.keep_rehearsal(library, draft.name, text, author=author, note=draft.note)

        def done(_none: Any) -> None:
            self._known[draft.name] = draft
            self._wanted = draft.name
            self.read()

        self._jobs.start("rehearsal", "keeping", work, done, lambda words: self.outcome.setText(words))

    def _fill(self, steps: list[tuple[str, str, tuple[int, ...]]]) -> None:
        # the editor stands below the step in hand, and must outlive the rows
        self.editor.setParent(None)
        clear_layout(self._column)
        self.steps = [_StepRow(number, words, path, self.pick) for number, words, path in steps]
        for row in self.steps:
            self._column.addWidget(row)
            if row.path == self._path and self._path:
                row.hold(True)
                self._column.addWidget(self.editor)

    # running

    def run(self) -> None:
        """Run what is chosen, or stop what runs."""
        if self._rehearsing.is_running:
            self._rehearsing.stop()
            return
        if self._draft is None:
            return
        self._path = ()
        self._rehearsing.run(self._draft, self._other)
        if self._rehearsing.is_running and self._rehearsing.outcome is not None:
            self._fill([(step.number, step.words, ()) for step in self._rehearsing.outcome.steps])
            self.outcome.setText("It runs.")
        self._refresh()

    def _other(self, name: str) -> Any:
        return self._known[name]

    def _on_step(self, outcome: Any) -> None:
        for row in self.steps:
            if row.number == outcome.number:
                row.show_outcome(outcome)

    def _refresh(self) -> None:
        running = self._rehearsing.is_running
        self.run_button.setText("Stop" if running else "Run")
        self.run_button.setEnabled(self._draft is not None)
        outcome = self._rehearsing.outcome
        self.report.setVisible(outcome is not None and not running)
        if outcome is not None and not running and self._draft is not None and outcome.name == self._draft.name:
            failed = outcome.failed
            self.outcome.setText(
                f"Passed in {outcome.seconds:.1f} s." if outcome.is_passed else
                f"Failed at step {failed.number if failed is not None else '?'} after {outcome.seconds:.1f} s."
            )  # fmt: skip

    def _ask_bring(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "A rehearsal", "", "Rehearsals (*.json);;All files (*)")
        if name:
            self.bring_in(Path(name))

    def bring_in(self, path: Path) -> None:
        """Keep the rehearsal of a file in the library."""
        library, author = self._library(), self._author()

        def work(_progress: Any) -> str:
            made = going.rehearsal_from_file(path)
            text = going.rehearsal_to_json(made).decode()
            going.keep_rehearsal(library, made.name, text, author=author, note=made.note)
            return str(made.name)

        def done(name: str) -> None:
            self.read()
            self.outcome.setText(f"{name} is kept in the library.")

        self._jobs.start("rehearsal", f"reading {path.name}", work, done, lambda words: self.outcome.setText(words))

    def _ask_report(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "The report", "report.xml", "JUnit XML (*.xml)")
        if name:
            self.write_report(Path(name))

    def write_report(self, path: Path) -> None:
        """Write the outcome of the last run as JUnit XML."""
        outcome = self._rehearsing.outcome
        try:
            path.write_bytes(going.junit_xml(outcome))
        except (OSError, AbacusError) as error:
            self.outcome.setText(f"The report cannot be written: {error}")
            return
        self.outcome.setText(f"{path.name} is written.")


class _StepRow(QWidget):
    """A step as a sentence, with a sign and what decided it."""

    def __init__(self, number: str, words: str, path: tuple[int, ...], pick: Callable[[tuple[int, ...]], None]) -> None:
        super().__init__()
        self.number, self.path = number, path
        self._pick = pick
        self.state = ""
        self._sign = label("")
        self._sign.setFixedWidth(16)
        self._sign.setFont(text_font(bold=True))
        self._words = label("", wrap=True)
        self.say(words)
        self._why = label("", "quiet", wrap=True)
        self._why.hide()
        if path:
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
            self.setAccessibleName(f"step {number}: {words}")
            self.setProperty(USES_SPACE, True)
        column = QVBoxLayout()
        column.setSpacing(0)
        column.addWidget(self._words)
        column.addWidget(self._why)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 2)
        row.setSpacing(4)
        row.addWidget(self._sign)
        row.addLayout(column, 1)

    def say(self, words: str) -> None:
        """Show what the step does."""
        # back quotes are for those who write a condition, not for those who read one
        self._words.setText(f"{self.number}  {words.replace('`', '')}")

    def hold(self, is_held: bool) -> None:
        """Show that it is in hand."""
        self._words.setFont(text_font(bold=is_held))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.path:
            self._pick(self.path)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and self.path and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self._pick(self.path)
            return
        super().keyPressEvent(event)

    @property
    def why(self) -> str:
        """What is said of its outcome."""
        return self._why.text()

    def show_outcome(self, outcome: Any) -> None:
        """Show how the step came out, or that it is being done."""
        theme = look.theme
        self.state = outcome.state
        colours = {"passed": theme.good, "failed": theme.wrong}
        self._sign.setText(_SIGNS.get(outcome.state, ""))
        self._sign.setStyleSheet(f"color: {colours.get(outcome.state, theme.zest_text)}")
        self._sign.setAccessibleName(outcome.state or "being done")
        said = f"{outcome.reason} {outcome.frame}".strip()
        self._why.setText(said)
        self._why.setVisible(bool(said))
