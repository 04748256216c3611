"""What stands in the window until a trial is open: three ways to begin, and the trials of late."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from ..app.session import Session
from ..widgets.parts import button, label
from ..widgets.theme import look, text_font

_WIDTH = 920
_MOST_RECENT = 5
_READS = (
    "Logs of CAN, packets of a network, waves of a logic analyser or scope, radio and audio samples, pulse lengths, "
    "bytes and tables. Several at once become one trial."
)
_EMPTY = "A trial that recordings are brought into one by one, or whose layouts are written down from a paper."
_DEMO = (
    "A sea trial of the harbour tug Yuzu: two CAN buses and nine other lines, most messages named, some not. It is "
    "made up, it is yours to change."
)


class Beginning(QWidget):
    """Three ways to begin, on every desk.

    Parameters
    ----------
    ask_open, ask_new
        What asks for recordings or a trial, and for the folder of a new one.
    """

    def __init__(self, session: Session, ask_open: Callable[[], None], ask_new: Callable[[], None]) -> None:
        super().__init__()
        self._session = session
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName("Begin")
        self.choose = button("Choose recordings…", "Open recordings or a trial (Ctrl O)", main=True)
        self.choose.clicked.connect(ask_open)
        self.new = button("Begin an empty trial…", "In a folder, with a library of its own (Ctrl N)")
        self.new.clicked.connect(ask_new)
        self.demo = button("Open the Yuzu trial", "The demo, in a copy of your own")
        self.demo.clicked.connect(session.trials.open_demo)
        self.recent = QVBoxLayout()
        self.recent.setSpacing(2)
        self._build()
        look.changed.connect(self.update)

    def _build(self) -> None:
        title = label("What was recorded?")
        title.setFont(text_font(22, bold=True))
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        ways = (
            (_DropCard(), "Drop recordings here", _READS, self.choose),
            (QWidget(), "Begin with nothing", _EMPTY, self.new),
            (QWidget(), "Look at the demo", _DEMO, self.demo),
        )
        for place, (card, head, words, act) in enumerate(ways):
            grid.addWidget(_filled(card, head, words, act), 0, place)
            grid.setColumnStretch(place, 1)
        middle = QWidget()
        middle.setMaximumWidth(_WIDTH)
        column = QVBoxLayout(middle)
        column.setSpacing(16)
        column.addStretch(2)
        column.addWidget(title)
        column.addLayout(grid)
        column.addSpacing(12)
        column.addLayout(self.recent)
        column.addStretch(3)
        row = QHBoxLayout(self)
        row.addStretch(1)
        row.addWidget(middle, 20)
        row.addStretch(1)
        self.show_recent()

    def show_recent(self) -> None:
        """List the trials of late that are still there."""
        paths = [Path(name) for name in self._session.settings.recent if Path(name).exists()][:_MOST_RECENT]
        if paths:
            self.recent.addWidget(label("Trials of late", "section"))
        for path in paths:
            line = button(f"{path.name}   {path.parent}", f"Open {path}", link=True)
            line.clicked.connect(lambda _on=False, path=path: self._session.trials.open(path))
            self.recent.addWidget(line)


class _DropCard(QWidget):
    """A card with a broken line around it: things can be let fall on it, as on all of the window."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(look.theme.zest), 1.6, Qt.PenStyle.DashLine))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 12, 12)
        painter.end()


def _filled(card: QWidget, head: str, words: str, act: QWidget) -> QWidget:
    column = QVBoxLayout(card)
    column.setContentsMargins(18, 18, 18, 18)
    column.setSpacing(10)
    title = label(head)
    title.setFont(text_font(15, bold=True))
    told = label(words, "quiet", wrap=True)
    told.setMinimumHeight(96)
    told.setAlignment(Qt.AlignmentFlag.AlignTop)
    act.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
    column.addWidget(title)
    column.addWidget(told)
    column.addWidget(act)
    return card
