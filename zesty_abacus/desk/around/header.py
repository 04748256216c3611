"""The top of the window: the trial, the desks, what is looked for, the library."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from ..app.commands import Command
from ..app.session import Session
from ..widgets.parts import EDGE, label, plain_tip
from ..widgets.rod import DeskRod
from ..widgets.words import counted
from .find_box import FindBox
from .library_menu import LibraryButton
from .trial_menu import TrialButton

_HEIGHT = 46
_LEAST_FIND = 96


class Header(QWidget):
    """What is open, where one is, and where else one may go.

    Parameters
    ----------
    desks
        Names in the order of the work.
    commands
        Everything that can be done.
    compare
        Shows what differs between the layouts here and others of a name.
    """

    def __init__(
        self, session: Session, desks: Sequence[str], commands: Callable[[], list[Command]],
        compare: Callable[[Any, str], None],
    ) -> None:  # fmt: skip
        super().__init__()
        self._session = session
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(_HEIGHT)
        self.trial = TrialButton(session)
        self.run = label("", "quiet")
        self.rod = DeskRod(list(desks))
        self.find_box = FindBox(session, commands)
        self.dot = label("", "good")
        self.library = LibraryButton(session, compare)
        self.library.setText("no library")
        row = QHBoxLayout(self)
        row.setContentsMargins(EDGE, 0, EDGE, 0)
        row.setSpacing(8)
        for part in (self.trial, self.run, self.rod):
            row.addWidget(part)
        self.find_box.setMinimumWidth(_LEAST_FIND)
        row.addWidget(self.find_box, 1)
        row.addWidget(self.dot)
        row.addWidget(self.library)
        self._connect()

    def _connect(self) -> None:
        session, shared = self._session, self._session.shared
        session.opened.connect(self._show_trial)
        session.trials.password_wanted.connect(self.library.ask_password)
        session.trials.library_away.connect(self.library.ask_away)
        session.trials.library_asked.connect(self.library.ask_about)
        for event in (
            session.edits.kept, session.layouts_changed, shared.seen, shared.people_changed, shared.proposals.changed,
        ):  # fmt: skip
            event.connect(self._show_library)

    def _show_trial(self) -> None:
        file = self._session.trial.file
        self.trial.setText(f"{file.name}  ▾")
        self.run.setText(f"· {file.run}" if file.run else "")
        self._show_library()

    def _show_library(self) -> None:
        library, shared = self._session.library, self._session.shared
        if library is None:
            return
        count = len(self._session.edits.layouts())
        answers = shared.is_answering
        self.dot.setText("●" if answers else "○")
        waiting = f" · {len(shared.proposals.waiting)} proposed" if shared.proposals.waiting else ""
        release = self._session.edits.release
        state = ", no answer" if not answers else f", {release}" if release else waiting
        self.library.setText(f"{library.name}{state}  ▾")
        here = f"\n{len(shared.people)} others have it open" if shared.people else ""
        self.library.setToolTip(plain_tip(f"{library.address}, {counted(count, 'layout')}{here}"))
