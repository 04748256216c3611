"""What was handed over in this session."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from ...widgets.parts import Panel, label
from ...widgets.theme import text_font
from ...widgets.words import home_short


class HandedOver(Panel):
    """A list of files and folders, the newest first."""

    def __init__(self) -> None:
        super().__init__("Handed over")
        self._empty = label("What is written in this session is listed here.", "quiet", wrap=True)
        self.body.addWidget(self._empty)
        self.body.addStretch(1)

    def add(self, path: Path, words: str) -> None:
        """List a file or folder, and what is in it."""
        self._empty.hide()
        entry = QWidget()
        column = QVBoxLayout(entry)
        column.setContentsMargins(0, 0, 0, 4)
        column.setSpacing(2)
        name = label(path.name)
        name.setFont(text_font(bold=True))
        column.addWidget(name)
        column.addWidget(label(words, "quiet", wrap=True))
        where = f"{home_short(path)} at {datetime.now():%H:%M}"
        column.addWidget(label(where, "quiet", wrap=True, selectable=True))
        self.body.insertWidget(1, entry)
