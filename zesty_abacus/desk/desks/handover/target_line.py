"""Where something is written: a path, what chooses one, what writes, and what is in the way."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ....core.errors import AbacusError
from ....core.files.errors import ExistsError
from ...app.doors import engine
from ...widgets.parts import button, label


class TargetLine(QWidget):
    """A path with its buttons, and under it what is wrong.

    Attributes
    ----------
    path, browse, write
    replace
        Shown where something of somebody else is in the way.
    problem

    Parameters
    ----------
    name
        Of the path, for who cannot see it.
    words
        Of the button that writes.
    ask
        Shows a dialog that begins at a path, and returns what was chosen, empty for nothing.
    run
        Writes.
    more
        Buttons behind the one that writes.
    runs_on_return
        Whether Return in the path writes; a folder is looked at first.
    """

    def __init__(
        self, name: str, words: str, ask: Callable[[str], str], run: Callable[[], None], *more: QWidget,
        runs_on_return: bool = True,
    ) -> None:  # fmt: skip
        super().__init__()
        self._ask, self._run = ask, run
        self._may_replace = ""
        self._folder = Path()
        self.path = QLineEdit()
        self.path.setAccessibleName(name)
        self.browse = button("Choose…", "Choose where it goes")
        self.write = button(words, "", main=True)
        self.replace = button("Replace it", "Write over what is there; what it holds is gone then")
        self.problem = label("", "wrong", wrap=True)
        line = QHBoxLayout()
        line.setSpacing(8)
        line.addWidget(self.path, 1)
        for part in (self.browse, self.write, *more):
            line.addWidget(part)
        told = QHBoxLayout()
        told.setSpacing(8)
        told.addWidget(self.problem, 1)
        told.addWidget(self.replace)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        column.addLayout(line)
        column.addLayout(told)
        self.say("")
        self.browse.clicked.connect(self._choose)
        self.write.clicked.connect(run)
        if runs_on_return:
            self.path.returnPressed.connect(run)
        self.replace.clicked.connect(self.run_over)
        self.path.textChanged.connect(lambda _text: self.say(""))

    @property
    def chosen(self) -> Path:
        """The path as it stands there; a name alone is beside what was suggested, wherever the program was started."""
        return self._folder / Path(self.path.text().strip()).expanduser()

    @property
    def is_empty(self) -> bool:
        """Whether no path stands there."""
        return not self.path.text().strip()

    def suggest(self, path: Path) -> None:
        """Put a path there; its beginning is seen."""
        self._folder = path.parent
        self.path.setText(str(path))
        self.path.setCursorPosition(0)

    def end_with(self, suffix: str) -> None:
        """Give the path another ending."""
        if not self.is_empty:
            self.path.setText(str(Path(self.path.text().strip()).with_suffix(suffix)))

    def complete(self, suffix: str) -> None:
        """Give a name that was typed without an ending one."""
        if not Path(self.path.text().strip()).suffix:
            self.end_with(suffix)

    def say(self, sentence: str, *, may_replace: bool = False) -> None:
        """Tell what is wrong, nothing if it is empty."""
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))
        self.replace.setVisible(may_replace)

    def take_leave(self) -> bool:
        """Return whether what is there may be replaced, which holds for this very path and once."""
        leave = bool(self._may_replace) and self._may_replace == self.path.text()
        self._may_replace = ""
        return leave

    def free_target(
        self, inputs: Iterable[Path], check: Callable[[engine.Target], object] = lambda _target: None
    ) -> engine.Target | None:
        """Return where a file is written; None where that cannot be, which is told.

        Parameters
        ----------
        inputs
            What the file is made of, which is never written over.
        check
            Raises what else is wrong with it.
        """
        if self.is_empty:
            self.say("Choose where the file goes.")
            return None
        target: engine.Target = engine.Target(self.chosen, self.take_leave(), tuple(inputs))
        try:
            check(target)
            target.check()
        except ExistsError:
            self.say(f"{target.path.name} is there already. Replace it, or write another name.", may_replace=True)
        except AbacusError as error:
            self.say(str(error))
        else:
            return target
        return None

    def run_over(self) -> None:
        """Write in the place of what is there."""
        self._may_replace = self.path.text()
        self._run()

    def _choose(self) -> None:
        name = self._ask(self.path.text())
        if name:
            self.path.setText(name)
            # the dialog has asked about this very file
            self._may_replace = name
