"""A rehearsal edited as a list of sentences: a step is chosen, its parts typed, and moved up or down."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import going
from ...widgets.parts import button, clear_grid, label, menu_of
from ...widgets.wrapping import WrappingRow

_HINTS = {
    "message": "name of a message", "values": "wanted = release, speed = sine 0 to 9 in 5 s",
    "lane": "only if it is not clear",
    "faults": "wrong check, late frame", "every": "50 ms", "within": "500 ms", "for": "2 s",
    "condition": "`Hook state`.pull > 2 kN", "while": "a condition that stands meanwhile", "to": "ramp 0 to 10 in 2 s",
    "times": "3", "frame": "1A0#0C00, instead of a message",
}  # fmt: skip


class StepEditor(QWidget):
    """Edits one step of a rehearsal.

    Attributes
    ----------
    lines
        An entry a part of the step, by what the part is called.
    """

    def __init__(self, changed: Callable[[Any], None]) -> None:
        """Make an empty one; ``changed`` takes the step with what was typed."""
        super().__init__()
        self._changed = changed
        self._step: Any = None
        self.lines: dict[str, QLineEdit] = {}
        self.said = label("", "wrong", wrap=True)
        self._grid = QGridLayout()
        self._grid.setVerticalSpacing(3)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 2, 0, 6)
        column.setSpacing(3)
        column.addLayout(self._grid)
        column.addWidget(self.said)

    def show_step(self, step: Any) -> None:
        """Edit another step; None hides the editor."""
        self._step = step
        clear_grid(self._grid)
        self.lines = {}
        self.setVisible(step is not None)
        self._say("")
        if step is None:
            return
        for row, field in enumerate(msgspec.structs.fields(step)):
            if field.name == "steps":
                continue
            line = QLineEdit(_text_of(getattr(step, field.name)))
            line.setAccessibleName(field.encode_name)
            line.setPlaceholderText(_HINTS.get(field.encode_name, ""))
            line.editingFinished.connect(self._typed)
            self._grid.addWidget(label(field.encode_name, "quiet"), row, 0)
            self._grid.addWidget(line, row, 1)
            self.lines[field.name] = line

    def _typed(self) -> None:
        if self._step is None or not any(line.isModified() for line in self.lines.values()):
            return
        made: dict[str, Any] = {}
        try:
            for name, line in self.lines.items():
                made[name] = _value_of(getattr(self._step, name), line.text())
        except ValueError as error:
            self._say(str(error))
            return
        for line in self.lines.values():
            line.setModified(False)
        self._say("")
        self._step = msgspec.structs.replace(self._step, **made)
        self._changed(self._step)

    def _say(self, words: str) -> None:
        self.said.setText(words)
        self.said.setVisible(bool(words))


class StepTools(QWidget):
    """What can be done with the step in hand, and the menu of what can be added behind it."""

    def __init__(self, add: Callable[[Any], None], move: Callable[[int], None], remove: Callable[[], None]) -> None:
        super().__init__()
        self.add = button("Add a step ▾", "Add a step behind the one in hand")
        self.up = button("↑", "Move the step in hand up (Ctrl Up)")
        self.up.setAccessibleName("Up")
        self.down = button("↓", "Move the step in hand down (Ctrl Down)")
        self.down.setAccessibleName("Down")
        self.remove = button("Take out", "Take the step in hand out")
        self._add = add
        row = WrappingRow(5)
        row.setContentsMargins(0, 0, 0, 0)
        self.setLayout(row)
        for part in (self.add, self.up, self.down, self.remove):
            row.addWidget(part)
        self.add.clicked.connect(self._offer)
        self.up.clicked.connect(lambda: move(-1))
        self.down.clicked.connect(lambda: move(1))
        self.remove.clicked.connect(remove)

    def _offer(self) -> None:
        menu = menu_of(self)
        for kind in going.STEP_KINDS:
            menu.addAction(kind.title, lambda kind=kind: self._add(going.fresh_step(kind)))
        menu.popup(self.add.mapToGlobal(self.add.rect().bottomLeft()))


def _text_of(value: Any) -> str:
    if isinstance(value, dict):
        return ", ".join(f"{name} = {text}" for name, text in value.items())
    return ", ".join(value) if isinstance(value, tuple) else str(value)


def _value_of(before: Any, text: str) -> Any:
    """Return a typed text as the part of a step it stands for; raises ValueError with a sentence if it is none."""
    if isinstance(before, dict):
        made = {}
        for pair in filter(None, (one.strip() for one in text.split(","))):
            name, equals, value = pair.partition("=")
            if not equals:
                raise ValueError(f"Write values as name = value; {pair!r} has no equals sign.")
            made[name.strip()] = value.strip()
        return made
    if isinstance(before, tuple):
        return tuple(filter(None, (one.strip() for one in text.split(","))))
    if isinstance(before, int):
        try:
            return int(text)
        except ValueError:
            raise ValueError(f"{text!r} is no whole number.") from None
    return text.strip()
