"""Rows of a form of settings: words at the left, what is set at the right."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...widgets.parts import Choice, NoWheel, label
from ...widgets.theme import figure_font
from ...widgets.words import number_text

_CHOICE, _WIDEST_CHOICE = 124, 178
_AROUND_A_CHOICE = 40
"""Pixels of its frame and its arrow."""


class SettingRows:
    """Adds rows to a column.

    Attributes
    ----------
    measured
        Lines whose empty text stands for a measured value, by their names.
    """

    def __init__(self, column: QVBoxLayout, owner: QObject) -> None:
        self._column = column
        self._no_wheel = NoWheel(owner)
        self.measured: dict[str, QLineEdit] = {}

    def section(self, words: str) -> None:
        """Begin a section with a heading."""
        heading = label(words, "section")
        heading.setContentsMargins(0, 6, 0, 0)
        self._column.addWidget(heading)

    def row(self, words: str, widget: QWidget) -> None:
        """Put a widget behind its words."""
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(label(words, "quiet", wrap=True), 1)
        row.addWidget(widget)
        self._column.addLayout(row)

    def choice(self, name: str, choices: Any, current: object, take: Callable[[Any], object]) -> QComboBox:
        """Return a box to choose one of ``(value, words)`` in."""
        box = Choice()
        box.setAccessibleName(name)
        box.installEventFilter(self._no_wheel)
        for value, words in choices:
            box.addItem(words, value)
        values = [value for value, _ in choices]
        box.setCurrentIndex(values.index(current) if current in values else 0)
        # the words beside it wrap, a choice cannot
        wanted = box.fontMetrics().horizontalAdvance(box.currentText()) + _AROUND_A_CHOICE
        box.setFixedWidth(min(max(wanted, _CHOICE), _WIDEST_CHOICE))
        box.activated.connect(lambda index: take(values[index]))
        return box

    def entry(self, name: str, text: str, take: Callable[[str], object], hint: str = "") -> QLineEdit:
        """Return a line for text, which is taken when it was changed."""
        line = QLineEdit(text)
        line.setAccessibleName(name)
        line.setPlaceholderText(hint)
        line.setFixedWidth(88)
        line.setAlignment(Qt.AlignmentFlag.AlignRight)
        line.editingFinished.connect(lambda: take(line.text().strip()) if line.isModified() else None)
        return line

    def number(
        self,
        name: str,
        words: str,
        value: float | None,
        unit: str,
        take: Callable[[float | None], object],
        measured: str,
    ) -> None:
        """Show a number; an empty line gives None: measured, or none."""

        def keep(text: str) -> None:
            try:
                take(float(text.replace(",", ".")) if text else None)
            except ValueError:
                line.setProperty("wrong", True)
                line.style().polish(line)  # type: ignore[union-attr]
                line.setToolTip(f"{text!r} is no number.")

        line = self.entry(name, "" if value is None else number_text(value), keep, "measured" if measured else "0")
        line.setFont(figure_font(12))
        self.row(f"{words} {unit}".strip(), line)
        if measured:
            self.measured[name] = line

    def flag(self, name: str, words: str, on: bool, take: Callable[[bool], object]) -> None:
        """Show a box to tick."""
        box = QCheckBox()
        box.setAccessibleName(name)
        box.setChecked(on)
        box.toggled.connect(take)
        self.row(words, box)

    def setting(self, field: Any, value: Any, change: Callable[..., object], channels: Sequence[str]) -> None:
        """Show one setting of a line code or a framing; of a channel, those of the recording are offered."""
        name = f"{field.words}"

        def take(new: Any) -> None:
            change(**{field.name: new})

        if field.kind == "channel":
            choices = [("", "none")] if field.optional or not value else []
            choices += [(channel, channel) for channel in channels]
            self.row(field.words, self.choice(name, choices, value, take))
        elif field.kind == "choice":
            measured: list[tuple[object, str]] = [(None, "measured")] if field.measured else []
            self.row(field.words, self.choice(name, [*measured, *field.choices], value, take))
        elif field.kind == "flag":
            self.flag(name, field.words, bool(value), take)
        elif field.kind == "number":
            whole = isinstance(value, int) and not isinstance(value, bool)

            def number(new: float | None) -> None:
                if new is None and not field.measured:
                    return
                take(int(new) if new is not None and (whole or (value is None and new.is_integer())) else new)

            self.number(name, field.words, value, field.unit, number, field.name if field.measured else "")
        else:
            tuples = isinstance(value, tuple)
            text = " ".join(value) if tuples else str(value)
            entry = self.entry(name, text, lambda new: take(tuple(new.split())) if tuples else take(new))
            self.row(field.words, entry)
