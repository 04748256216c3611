"""Code from layouts: a preview, what differs from the last time, and how it compares with decoding."""

from __future__ import annotations

import difflib
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from ....core.errors import AbacusError
from ....core.files.errors import ExistsError
from ...app.doors import leaving
from ...app.session import Session
from ...widgets.parts import Choice, hairline, label, say_in
from ...widgets.theme import SMALL_PX, figure_font
from ...widgets.words import counted
from .choices import Choices
from .handed import HandedOver
from .target_line import TargetLine

_FIRST_LANGUAGE = (("c", "C99"),)
_MESSAGES = (("all", "all messages"), ("kind", "the one in hand"))
_SHOWN = (("text", "what is written"), ("difference", "what differs from before"))
_MOST_LETTERS = 400_000
_NAMED = 4


class CodePage(QWidget):
    """Makes code of layouts, writes it into a folder, and tries it there.

    Attributes
    ----------
    made
        What would be written, None while it is being made.
    outcome
        What was tried, and how it went.
    """

    def __init__(self, session: Session, handed: HandedOver) -> None:
        super().__init__()
        self._session, self._handed = session, handed
        self.made: Any = None
        self._differences: dict[str, str] = {}
        self.language = Choices("Language", _FIRST_LANGUAGE, self._refresh)
        self.messages = Choices("Messages", _MESSAGES, self._refresh)
        self.prefix = QLineEdit()
        self.prefix.setAccessibleName("Prefix")
        self.node = QLineEdit()
        self.node.setAccessibleName("A node sends to")
        self.node.setPlaceholderText("can:can0 or udp://127.0.0.1:5000; empty for no program")
        self.target = TargetLine("Folder", "Write the code", self._ask_folder, self.run, runs_on_return=False)
        self.folder, self.write = self.target.path, self.target.write
        self.replace, self.problem = self.target.replace, self.target.problem
        self.outcome = label("", "quiet", wrap=True)
        self.left_out = label("", "quiet", wrap=True)
        self.file = Choice()
        self.file.setAccessibleName("File that is shown")
        self.file.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToContents)
        self.shown = Choices("Shown", _SHOWN, self._show)
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.text.setFont(figure_font(SMALL_PX))
        self.text.setAccessibleName("Code")
        self._build()
        self._connect()

    def _build(self) -> None:
        grid = QGridLayout()
        grid.setContentsMargins(18, 12, 18, 8)
        grid.setVerticalSpacing(7)
        grid.setHorizontalSpacing(14)
        grid.addLayout(_side_by_side(self.language, "of", self.messages), 0, 1)
        grid.addLayout(_side_by_side(self.prefix, "sends to", self.node), 1, 1)
        grid.addWidget(self.target, 2, 1)
        grid.addWidget(self.outcome, 3, 1)
        grid.addWidget(self.left_out, 4, 1)
        for row, title in enumerate(("in", "prefix", "into")):
            grid.addWidget(label(title, "quiet"), row, 0)
        head = QHBoxLayout()
        head.setContentsMargins(18, 6, 18, 6)
        head.setSpacing(10)
        head.addWidget(self.file)
        head.addWidget(self.shown, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(grid)
        column.addWidget(hairline())
        column.addLayout(head)
        column.addWidget(self.text, 1)
        self._end("")
        self.left_out.hide()

    def _connect(self) -> None:
        session = self._session
        for event in (session.opened, session.layouts_changed):
            event.connect(self._refresh)
        session.in_hand.changed.connect(self._take_message_in_hand)
        session.on_opened(self._suggest)
        for line in (self.prefix, self.node, self.folder):
            line.editingFinished.connect(self._refresh)
        self.file.currentTextChanged.connect(lambda _name: self._show())

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._refresh()

    def _take_message_in_hand(self) -> None:
        # the code for all messages is the same whichever is in hand
        if self.messages.value == "kind":
            self._refresh()

    def _suggest(self) -> None:
        self.target.suggest(self._session.trial.folder / "code")
        self.prefix.setText("")
        self._end("")

    def _ask_folder(self, folder: str) -> str:
        return QFileDialog.getExistingDirectory(self, "Write the code into", folder)

    def _project(self) -> Any:
        """Return what is asked for; raises :class:`MisuseError` where that makes no sense."""
        if self.target.is_empty:
            raise leaving.GenerateError("the code needs a folder; choose one.")
        session = self._session
        layouts = session.edits.layouts()
        names: list[str] = []
        if self.messages.value == "kind":
            names = [layout.name for layout in session.in_hand.layouts()]
            if not names:
                raise leaving.GenerateError("nobody has named a message in hand; choose one in the roster.")
        node = self.node.text().strip() if self._has_nodes() else ""
        link = leaving.Link.parse(node) if node else None
        folder = self.target.chosen
        sources = leaving.sources_in(folder) if link is not None else None
        return leaving.Project.of(
            layouts, session.origin(), messages=names, prefix=self.prefix.text().strip(), link=link, sources=sources
        )

    def _has_nodes(self) -> bool:
        return leaving.language_named(self.language.value).has_nodes

    def _refresh(self) -> None:
        """Make the code anew, for looking at it."""
        session = self._session
        if session.capture is None or not self.isVisible():
            return
        self.language.offer((word, one.title) for word, one in leaving.languages().items())
        self.node.setEnabled(self._has_nodes())
        try:
            project = self._project()
        except AbacusError as error:
            self.made = None
            self.target.say(_sentence(error))
            self.text.setPlainText("")
            return
        self.target.say("")
        self.prefix.setPlaceholderText(project.prefix)
        language, folder = self.language.value, self.target.chosen

        def work(progress: Any) -> Any:
            made = leaving.language_named(language).make(project)
            differences: dict[str, str] = {}
            for name, text in made.files.items():
                progress.check()
                differences[name] = _difference(_text_in(folder / name), text)
            return made, differences

        session.jobs.start("code", "making code", work, self._take, lambda sentence: self.target.say(sentence))

    def _take(self, answer: tuple[Any, dict[str, str]]) -> None:
        self.made, self._differences = answer
        manifest = self.made.manifest
        left = manifest.left_out
        reasons = [f"{one.message}: {one.reason}" for one in left[:_NAMED]]
        reasons += [f"and {len(left) - _NAMED} more."] if left[_NAMED:] else []
        self.left_out.setText(f"{counted(len(left), 'message', 'is', 'are')} left out. {' '.join(reasons)}")
        self.left_out.setToolTip("\n".join(f"{one.message}: {one.reason}" for one in left))
        self.left_out.setVisible(bool(left))
        chosen = self.file.currentText()
        self.file.blockSignals(True)
        self.file.clear()
        self.file.addItems(list(self.made.files))
        if chosen in self.made.files:
            self.file.setCurrentText(chosen)
        self.file.blockSignals(False)
        self._show()

    def _show(self) -> None:
        if self.made is None:
            return
        name = self.file.currentText()
        shown = self._differences if self.shown.value == "difference" else self.made.files
        text = shown.get(name, "")
        self.text.setPlainText(text[:_MOST_LETTERS])

    def run(self) -> None:
        """Write the code on a thread, build it and compare it with decoding."""
        session, made = self._session, self.made
        if made is None:
            return
        folder, replace = self.target.chosen, self.target.take_leave()
        self.target.say("")
        self._end("Writing and trying it…")

        def work(_progress: Any) -> Any:
            try:
                changed = leaving.write_folder(folder, made, replace=replace)
            except ExistsError as error:
                return error
            return changed, leaving.try_code(folder, made.manifest)

        def done(answer: Any) -> None:
            if isinstance(answer, ExistsError):
                self._end("")
                said = f"{Path(answer.where).name} is there already, and somebody else wrote it."
                self.target.say(said, may_replace=True)
                return
            self._tell(folder, *answer)

        session.jobs.start("write code", "writing code", work, done, self._failed)

    def _failed(self, sentence: str) -> None:
        self._end("")
        self.target.say(sentence)

    def _tell(self, folder: Path, changed: list[Path], tried: Any) -> None:
        messages = counted(len(self.made.manifest.messages), "message")
        files = f"{counted(len(changed), 'file')} changed" if changed else "nothing changed"
        role = "good" if tried.is_good else "wrong" if tried.is_good is False else "quiet"
        self._end(f"{messages}, {files}. {tried.words}", role)
        title = leaving.language_named(self.language.value).title
        self._handed.add(folder, f"{messages} in {title}, {self._session.origin().words()}. {tried.words}")
        self._session.told.emit("good" if tried.is_good is not False else "wrong", f"{folder.name}: {tried.words}")
        if tried.details:
            self.text.setPlainText("\n".join(tried.details))
        else:
            self._refresh()

    def _end(self, words: str, role: str = "quiet") -> None:
        """Say how writing and trying went."""
        say_in(self.outcome, words, role)
        self.outcome.setVisible(bool(words))


def _side_by_side(first: QWidget, word: str, second: QWidget) -> QHBoxLayout:
    line = QHBoxLayout()
    line.setSpacing(14)
    line.addWidget(first, 1)
    line.addWidget(label(word, "quiet"))
    line.addWidget(second, 2)
    return line


def _text_in(path: Path) -> str:
    try:
        return path.read_text(errors="replace")
    except OSError:
        return ""


def _difference(before: str, now: str) -> str:
    lines = difflib.unified_diff(before.splitlines(True), now.splitlines(True), "before", "now", n=2)
    return "".join(lines) or "Nothing differs from what the folder holds."


def _sentence(error: AbacusError) -> str:
    text = str(error)
    return text[:1].upper() + text[1:]
