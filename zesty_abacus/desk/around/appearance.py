"""How the window looks by a person's choice: light or dark, and how large its text is."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from ..app.session import Session
from ..app.settings import save_settings
from ..app.text_size import next_size
from ..widgets.theme import NIGHT, PEEL, look


class Appearance(QObject):
    """Changes what is chosen, and keeps it.

    Events
    ------
    size_changed
        Text is to have another size, which takes a fresh start of the program.
    """

    size_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session

    def change_text_size(self, by: int) -> None:
        """Make everything larger or smaller by a step, or with 0 as large as at first; the program starts anew."""
        settings, session = self._session.settings, self._session
        percent = next_size(settings.text_percent, by)
        if percent == settings.text_percent:
            session.told.emit("", f"Text is at {percent} % already.")
            return
        settings.text_percent = percent
        save_settings(settings)
        if session.live.is_live or session.forwarding.is_running or not session.jobs.is_idle():
            session.told.emit("", f"Text is at {percent} % from the next start on; something is running now.")
            return
        self.size_changed.emit()

    def toggle_theme(self) -> None:
        """Change between Peel and Night peel."""
        theme = PEEL if look.theme is NIGHT else NIGHT
        look.put_on(theme)
        self._session.settings.theme = theme.name
        save_settings(self._session.settings)
