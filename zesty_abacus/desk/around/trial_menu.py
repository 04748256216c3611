"""The trial in the header: which one it is, another one, a new one, one under another name."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMenu, QPushButton

from ..app.doors import lines
from ..app.session import Session
from ..app.settings import trials_folder
from ..widgets.theme import text_font


class TrialButton(QPushButton):
    """Says which trial is open, and offers others.

    Events
    ------
    closed
        The trial is to be closed, and a fresh window to take this one's place.
    """

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__("Zesty Abacus  ▾")
        self._session = session
        self.setObjectName("trial")
        self.setToolTip("Open another trial or recording (Ctrl O)")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFont(text_font(14, bold=True))
        self.clicked.connect(self.offer)

    def ask_open(self) -> None:
        """Ask for recordings or a trial."""
        names, _ = QFileDialog.getOpenFileNames(
            self.window(),
            "Open recordings or a trial",
            "",
            f"Recordings and trials ({' '.join(f'*{suffix}' for suffix in lines.readable_suffixes())} trial.json "
            "*.ztrial);;All files (*)",
        )
        if names:
            self._session.trials.open_paths([Path(name) for name in names])

    def ask_new(self) -> None:
        """Ask where a new trial is to begin; its folder gets a library of its own."""
        first = str(trials_folder() / "new trial")
        name, _ = QFileDialog.getSaveFileName(self.window(), "New trial: a folder for it", first)
        if name:
            self._session.trials.begin(Path(name))

    def ask_save_as(self) -> None:
        """Ask for a folder to save the open trial in under another name."""
        folder = self._session.trial.folder
        first = str(folder.with_name(f"{folder.name} 2"))
        name, _ = QFileDialog.getSaveFileName(self.window(), "Save the trial as: a folder for it", first)
        if name:
            self._session.trials.save_as(Path(name))

    def close_trial(self) -> None:
        """Close the trial; the window stays, empty, until another one is opened."""
        self.closed.emit()

    def offer(self) -> None:
        """Open the menu."""
        menu = QMenu(self)
        menu.addAction("Open recordings or a trial…\tCtrl+O", self.ask_open)
        menu.addAction("New trial…\tCtrl+N", self.ask_new)
        if self._session.trial is not None:
            menu.addAction("Save the trial as…\tCtrl+Shift+S", self.ask_save_as)
            menu.addAction("Close the trial\tCtrl+W", self.close_trial)
        menu.addAction("Open the Yuzu trial", self._session.trials.open_demo)
        recent = [Path(name) for name in self._session.settings.recent if Path(name).exists()]
        if recent:
            menu.addSection("Recent")
        for path in recent:
            menu.addAction(str(path), lambda path=path: self._session.trials.open(path))
        menu.exec(self.mapToGlobal(self.rect().bottomLeft()))
