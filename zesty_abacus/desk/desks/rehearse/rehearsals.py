"""The rehearsals of the library: chosen, run, each step with how it came out and by which frame."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from ....core.errors import AbacusError
from ...app.doors import going
from ...app.jobs import Jobs
from ...app.live import LiveHere
from ...widgets.parts import Choice, button, clear_layout, label, scrolled
from ...widgets.theme import look, text_font

_SIGNS = {"passed": "✓", "failed": "✗", "left out": "–", "": "▸"}


class Rehearsals(QWidget):
    """Chooses a rehearsal and runs it.

    Attributes
    ----------
    choice, run_button
    steps
        The step rows that are shown, in order.
    """

    def __init__(self, live: LiveHere, jobs: Jobs, library: Callable[[], Any], author: Callable[[], str]) -> None:
        super().__init__()
        self._live, self._jobs, self._library, self._author = live, jobs, library, author
        self._known: dict[str, Any] = {}
        self.choice = Choice()
        self.choice.setAccessibleName("Rehearsal")
        self.run_button = button("Run", "Run it on the lanes that may send (R)", main=True)
        self.bring = button("Bring one in …", "Keep the rehearsal of a file in the library")
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
        act.addWidget(self.bring)
        act.addStretch(1)
        head = QVBoxLayout()
        head.setContentsMargins(12, 8, 12, 4)
        head.setSpacing(6)
        head.addWidget(self.choice)
        head.addWidget(self.note)
        head.addLayout(act)
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
        self.report.clicked.connect(self._ask_report)
        live.stepped.connect(self._on_step)
        live.changed.connect(self._refresh)
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
        chosen = self.choice.currentText()
        self._known = known
        self.choice.blockSignals(True)
        self.choice.clear()
        self.choice.addItems(sorted(known))
        self.choice.blockSignals(False)
        if chosen in known:
            self.choice.setCurrentText(chosen)
        self._show(self.choice.currentText())

    def _show(self, name: str) -> None:
        rehearsal = self._known.get(name)
        self.note.setText(
            rehearsal.note
            if rehearsal is not None
            else "The library keeps no rehearsal yet. Bring one in from a file; docs/formats.md says its form."
        )
        self.outcome.setText("")
        self._fill([(str(place), step.words()) for place, step in enumerate(rehearsal.steps, 1)] if rehearsal else [])
        self._refresh()

    def _fill(self, steps: list[tuple[str, str]]) -> None:
        clear_layout(self._column)
        self.steps = [_StepRow(number, words) for number, words in steps]
        for row in self.steps:
            self._column.addWidget(row)

    def run(self) -> None:
        """Run what is chosen, or stop what runs."""
        if self._live.is_running:
            self._live.stop_all()
            return
        rehearsal = self._known.get(self.choice.currentText())
        if rehearsal is None:
            return
        self._live.run(rehearsal, self._other)
        if self._live.is_running and self._live.outcome is not None:
            self._fill([(step.number, step.words) for step in self._live.outcome.steps])
            self.outcome.setText("It runs.")

    def _other(self, name: str) -> Any:
        return self._known[name]

    def _on_step(self, outcome: Any) -> None:
        for row in self.steps:
            if row.number == outcome.number:
                row.show_outcome(outcome)

    def _refresh(self) -> None:
        running = self._live.is_running
        self.run_button.setText("Stop" if running else "Run")
        self.run_button.setEnabled(bool(self._known))
        outcome = self._live.outcome
        self.report.setVisible(outcome is not None and not running)
        if outcome is not None and not running and outcome.name == self.choice.currentText():
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
        outcome = self._live.outcome
        try:
            path.write_bytes(going.junit_xml(outcome))
        except (OSError, AbacusError) as error:
            self.outcome.setText(f"The report cannot be written: {error}")
            return
        self.outcome.setText(f"{path.name} is written.")


class _StepRow(QWidget):
    """A step as a sentence, with a sign and what decided it."""

    def __init__(self, number: str, words: str) -> None:
        super().__init__()
        self.number = number
        self.state = ""
        self._sign = label("")
        self._sign.setFixedWidth(16)
        self._sign.setFont(text_font(bold=True))
        # back quotes are for those who write a condition, not for those who read one
        self._words = label(f"{number}  {words.replace('`', '')}", wrap=True)
        self._why = label("", "quiet", wrap=True)
        self._why.hide()
        column = QVBoxLayout()
        column.setSpacing(0)
        column.addWidget(self._words)
        column.addWidget(self._why)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 2)
        row.setSpacing(4)
        row.addWidget(self._sign)
        row.addLayout(column, 1)

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
