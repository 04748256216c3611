"""Tables of frames or decoded values: what, how much, in which shape, and a preview before it is written."""

from __future__ import annotations

from pathlib import Path
from typing import Any, cast

from PyQt6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ....core.files.errors import ExistsError, FileError
from ...app.doors import engine
from ...app.session import Session
from ...widgets.parts import button, hairline, label
from ...widgets.words import counted, span_text
from .handed import HandedOver
from .preview_table import PreviewTable

_PREVIEW_ROWS = 40
_CHOICES = {
    "content": (("long", "values, a row a field"), ("wide", "values, a row a frame"), ("frames", "frames, undecoded")),
    "messages": (("all", "all messages"), ("kind", "the one in hand")),
    "span": (("whole", "whole capture"), ("view", "what the bracket shows")),
    "form": (("csv", "CSV"), ("parquet", "Parquet"), ("jsonl", "JSON lines")),
}
_TITLES = {"content": "what", "messages": "of", "span": "from", "form": "as"}


class TablesPage(QWidget):
    """Writes tables of frames or decoded values.

    Parameters
    ----------
    handed
        The list of what was handed over.
    """

    def __init__(self, session: Session, handed: HandedOver) -> None:
        super().__init__()
        self._session = session
        self._handed = handed
        self._chosen = {name: choices[0][0] for name, choices in _CHOICES.items()}
        self.words = label("", "quiet")
        self.path = QLineEdit()
        self.path.setAccessibleName("File")
        self.browse = button("Choose …", "Choose where the file goes")
        self.write = button("Write the file", "", main=True)
        self.problem = label("", "wrong", wrap=True)
        self.replace = button("Replace it", "Write over the file that is there; what it holds is gone then")
        self._may_replace = ""
        self.preview = PreviewTable()
        self._groups: dict[str, QButtonGroup] = {}
        self._build()
        self._connect()

    def _build(self) -> None:
        grid = QGridLayout()
        grid.setContentsMargins(18, 12, 18, 6)
        grid.setVerticalSpacing(7)
        grid.setHorizontalSpacing(14)
        for row, (name, choices) in enumerate(_CHOICES.items()):
            grid.addWidget(label(_TITLES[name], "quiet"), row, 0)
            line = QHBoxLayout()
            line.setSpacing(6)
            group = QButtonGroup(self)
            for value, words in choices:
                choice = button(words)
                choice.setCheckable(True)
                choice.setChecked(value == self._chosen[name])
                choice.clicked.connect(lambda _on, name=name, value=value: self._choose(name, value))
                group.addButton(choice)
                line.addWidget(choice)
            self._groups[name] = group
            line.addStretch(1)
            grid.addLayout(line, row, 1)
        grid.addWidget(label("to", "quiet"), 4, 0)
        target = QHBoxLayout()
        target.setSpacing(8)
        target.addWidget(self.path, 1)
        target.addWidget(self.browse)
        target.addWidget(self.write)
        grid.addLayout(target, 4, 1)
        told = QHBoxLayout()
        told.setSpacing(8)
        told.addWidget(self.problem, 1)
        told.addWidget(self.replace)
        grid.addLayout(told, 5, 1)
        grid.addWidget(self.words, 6, 1)
        self._say("")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(grid)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.preview)
        column.addWidget(hairline())
        column.addWidget(scroll, 1)

    def _connect(self) -> None:
        session = self._session
        self.browse.clicked.connect(self._ask_path)
        self.write.clicked.connect(self.run)
        self.replace.clicked.connect(self.run_over)
        self.path.textChanged.connect(lambda _text: self._say(""))
        self.path.returnPressed.connect(self.run)
        for event in (session.opened, session.layouts_changed, session.kind_changed, session.clock.view_changed):
            event.connect(self._refresh)
        session.opened.connect(self._suggest_path)

    def choose(self, name: str, value: str) -> None:
        """Choose as a click on the button would."""
        words = dict(_CHOICES[name])[value]
        next(choice for choice in self._groups[name].buttons() if choice.text() == words).click()

    def _choose(self, name: str, value: str) -> None:
        self._chosen[name] = value
        if name == "form" and self.path.text():
            self.path.setText(str(Path(self.path.text()).with_suffix(f".{value}")))
        self._refresh()

    def _suggest_path(self) -> None:
        self.path.setText(str(self._session.trial.folder / f"decoded.{self._chosen['form']}"))

    def _ask_path(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Write to", self.path.text())
        if name:
            self.path.setText(name)
            # the dialog has asked about this very file
            self._may_replace = name

    def _export(self) -> engine.Export:
        """Return what is chosen, as a value that a thread can write."""
        session, clock = self._session, self._session.clock
        times = (clock.view_first_ns, clock.view_last_ns) if self._chosen["span"] == "view" else (None, None)
        kinds = None
        if self._chosen["messages"] == "kind":
            kinds = frozenset() if session.kind is None else frozenset([session.kind])
        meaning = session.reading.meaning
        assert meaning is not None, "an export is made only while a trial is open"
        made: engine.Export = engine.Export(
            meaning, cast("engine.Content", self._chosen["content"]), self._chosen["form"],
            engine.Span.of(session.capture, *times), kinds,
        )  # fmt: skip
        return made

    def _target(self) -> engine.Target:
        made: engine.Target = engine.Target(
            Path(self.path.text()).expanduser(),
            bool(self._may_replace) and self._may_replace == self.path.text(),
            tuple(self._session.trial.files()),
        )
        return made

    def _origin_of(self, export: engine.Export) -> engine.Origin | None:
        return self._session.origin() if export.is_decoded else None

    def _missing(self, export: engine.Export) -> str:
        """Return what has to be chosen first, empty if nothing."""
        session = self._session
        if not self.path.text().strip():
            return "Choose where the file goes."
        if export.kinds is None:
            return ""
        if session.kind is None:
            return "No message is in hand; choose one in the roster, or all messages."
        if export.is_decoded and not session.reading.readers(session.kind):
            return "Nobody has named the message in hand; choose another in the roster, or all messages."
        return ""

    def run_over(self) -> None:
        """Write the file in the place of the one that is there."""
        self._may_replace = self.path.text()
        self.run()

    def run(self) -> None:
        """Write the file on a thread, with progress and cancel in the foot."""
        session = self._session
        if session.capture is None:
            return
        export = self._export()
        missing = self._missing(export)
        self._say(missing)
        if missing:
            return
        target, origin = self._target(), self._origin_of(export)
        try:
            target.check()
        except FileError as error:
            self._may_replace = ""
            self._say(_words(error), may_replace=isinstance(error, ExistsError))
            return
        self._may_replace = ""

        def done(rows: int) -> None:
            session.told.emit("good", f"{target.path.name} is written: {counted(rows, 'row')}.")
            self._handed.add(target.path, f"{counted(rows, 'row')}, {export.form}{_decoded_with(origin)}")

        session.jobs.start(
            "export", f"writing {target.path.name}", lambda progress: export.write(target, origin, progress),
            done, self._say,
        )  # fmt: skip

    def _say(self, sentence: str, *, may_replace: bool = False) -> None:
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))
        self.replace.setVisible(may_replace)

    def _refresh(self) -> None:
        session = self._session
        if session.capture is None or not self.isVisible():
            return
        clock = session.clock
        span = clock.view_span_ns if self._chosen["span"] == "view" else clock.last_ns - clock.first_ns
        export = self._export()
        self.words.setText(f"{span_text(span)} of the capture{_decoded_with(self._origin_of(export))}")
        session.jobs.start(
            "preview",
            "making a preview",
            lambda progress: export.preview(_PREVIEW_ROWS, progress),
            lambda answer: self.preview.show_rows(*answer),
            lambda sentence: self.preview.show_rows([], [], sentence),
        )

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._refresh()


def _words(error: FileError) -> str:
    """Return what is wrong with the chosen file in the words of this desk."""
    if isinstance(error, ExistsError):
        return f"{Path(error.where).name} is there already. Replace it, or write another name."
    return str(error)


def _decoded_with(origin: engine.Origin | None) -> str:
    """Say with which library, in which state; frames that are not decoded need none."""
    return f", decoded with {origin.words()}" if origin is not None else ""
