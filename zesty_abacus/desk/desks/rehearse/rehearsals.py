"""The rehearsals of the library: chosen, run, each step with how it came out and by which frame."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ....core.errors import AbacusError
from ...app.doors import going
from ...app.jobs import Jobs
from ...app.rehearsing import Rehearsing
from ...widgets.one_stop import OneStop
from ...widgets.parts import Choice, button, clear_layout, label, scrolled
from ...widgets.wrapping import WrappingRow
from .draft import Draft
from .editing import StepEditor, StepTools
from .step_row import StepRow


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
        self._draft = Draft()
        self._known: dict[str, Any] = {}
        self._wanted = ""
        self.choice = Choice()
        self.choice.setAccessibleName("Rehearsal")
        self.run_button = button("Run", "Run it on the lanes that may send (R)", main=True)
        self.bring = button("Bring one in…", "Keep the rehearsal of a file in the library")
        self.new = button("New", "Begin an empty rehearsal")
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the rehearsal")
        self.editor = StepEditor(self._take_step)
        self.tools = StepTools(
            lambda step: self._edit(lambda: self._draft.add(step)),
            lambda by: self._edit(lambda: self._draft.move(by)),
            lambda: self._edit(self._draft.take_out),
        )
        self.keep = button("Keep", "Keep the rehearsal in the library under this name", main=True)
        self.report = button("Write the report…", "Write the outcome as JUnit XML")
        self.note = label("", "quiet", wrap=True)
        self.outcome = label("", "quiet", wrap=True)
        self.steps: list[StepRow] = []
        self._stop = OneStop(self)
        self._column = QVBoxLayout()
        self._column.setSpacing(4)
        inner = QWidget()
        inside = QVBoxLayout(inner)
        inside.setContentsMargins(12, 4, 12, 12)
        inside.addLayout(self._column)
        inside.addStretch(1)
        act = WrappingRow(8)
        act.addWidget(self.run_button)
        act.addWidget(self.new)
        act.addWidget(self.bring)
        head = QVBoxLayout()
        head.setContentsMargins(12, 8, 12, 4)
        head.setSpacing(6)
        head.addWidget(self.choice)
        head.addWidget(self.note)
        head.addLayout(act)
        named = QHBoxLayout()
        named.addWidget(self.name, 1)
        named.addWidget(self.keep)
        head.addLayout(named)
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
        self.keep.clicked.connect(self._keep)
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
        draft = self._draft.rehearsal
        is_edited = draft is not None and draft != self._known.get(draft.name)
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
        self._draft.take(rehearsal)
        self._show_draft()

    # editing

    def _show_draft(self) -> None:
        draft = self._draft.rehearsal
        self.name.setVisible(draft is not None)
        self.keep.setVisible(draft is not None)
        self.tools.setVisible(draft is not None)
        if draft is not None and self.name.text() != draft.name:
            self.name.setText(draft.name)
        self._fill(self._draft.steps())
        self.editor.show_step(self._draft.step)
        is_kept = draft is None or draft == self._known.get(draft.name)
        self.keep.setEnabled(not is_kept)
        self._refresh()

    def pick(self, path: tuple[int, ...]) -> None:
        """Take a step in hand by its path; the one that is in hand is put down."""
        self._edit(lambda: self._draft.pick(path))

    def _move(self, path: tuple[int, ...], by: int) -> None:
        """Move a step by keys; it is in hand then."""
        if self._draft.path != path:
            self.pick(path)
        self._edit(lambda: self._draft.move(by))

    def _edit(self, change: Callable[[], None]) -> None:
        change()
        self._show_draft()

    def _take_step(self, step: Any) -> None:
        self._draft.change(step)
        for row in self.steps:
            if row.path == self._draft.path:
                row.say(step.words())
        self.keep.setEnabled(True)

    def _take_name(self) -> None:
        if self._draft.rename(self.name.text().strip()):
            self._show_draft()

    def _begin(self) -> None:
        self._draft.take(going.Rehearsal(name="A rehearsal of mine"))
        self.note.setText("Add steps, give it a name, and keep it.")
        self.outcome.setText("")
        self._show_draft()
        self.name.setFocus()
        self.name.selectAll()

    def _keep(self) -> None:
        library, draft, author = self._library(), self._draft.rehearsal, self._author()
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
        had_keys = self._stop.place
        # the editor stands below the step in hand, and must outlive the rows
        self.editor.setParent(None)
        clear_layout(self._column)
        self.steps = [StepRow(number, words, path, self.pick, self._move) for number, words, path in steps]
        for row in self.steps:
            self._column.addWidget(row)
            if row.path and row.path == self._draft.path:
                row.hold(True)
                self._column.addWidget(self.editor)
        stops = [row for row in self.steps if row.path]
        self._stop.hold(stops, next((row for row in stops if row.path == self._draft.path), None), had_keys)

    # running

    def run(self) -> None:
        """Run what is chosen, or stop what runs."""
        if self._rehearsing.is_running:
            self._rehearsing.stop()
            return
        if self._draft.rehearsal is None:
            return
        self._draft.put_down()
        self._rehearsing.run(self._draft.rehearsal, self._known.__getitem__)
        if self._rehearsing.is_running and self._rehearsing.outcome is not None:
            self._fill([(step.number, step.words, ()) for step in self._rehearsing.outcome.steps])
            self.outcome.setText("It runs.")
        self._refresh()

    def _on_step(self, outcome: Any) -> None:
        for row in self.steps:
            if row.number == outcome.number:
                row.show_outcome(outcome)

    def _refresh(self) -> None:
        running = self._rehearsing.is_running
        self.run_button.setText("Stop" if running else "Run")
        draft = self._draft.rehearsal
        self.run_button.setEnabled(draft is not None)
        outcome = self._rehearsing.outcome
        self.report.setVisible(outcome is not None and not running)
        if outcome is not None and not running and draft is not None and outcome.name == draft.name:
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
