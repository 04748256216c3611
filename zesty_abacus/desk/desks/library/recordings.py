"""What was recorded, and where the files lie; the frames stay there."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...app.doors import laid
from ...app.session import Session
from ...widgets.parts import Hint, button, clear_layout, hairline, label, scrolled_column
from ...widgets.theme import figure_font, text_font
from ...widgets.words import counted


class RecordingsView(QWidget):
    """The library's list of recordings.

    Attributes
    ----------
    add
        Puts the recordings of the open trial into the list.
    shown
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.shown: list[Any] = []
        self.add = button(
            "List the recordings of this trial", "Where each lies, its hash, its time, its lanes", main=True
        )
        self._rows = QVBoxLayout()
        self._rows.setSpacing(4)
        row = QHBoxLayout()
        row.addWidget(self.add)
        row.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scrolled_column(row, self._rows))
        self.add.clicked.connect(self.list_own)
        session.shared.notes_changed.connect(self.refresh)

    def refresh(self) -> None:
        """Read the list again."""
        if self.isVisible() and self._session.library is not None:
            self._session.shared.ask("reading recordings", lambda library: library.recordings.heads(), self._show)

    def list_own(self) -> None:
        """Put the recordings of the open trial into the library; hashing large files takes a while."""
        session = self._session
        if session.capture is None:
            return
        library, author = session.library, session.edits.line.author
        file = session.trial.file
        made = laid.BroughtIn(session.capture, session.outcomes)

        def work(progress: Any) -> int:
            found = laid.recordings_of(made, f"{file.name} {file.run}".strip(), progress)
            return int(library.recordings.import_all(found, author=author, reason="listed"))

        def done(changed: int) -> None:
            session.told.emit(
                "good",
                f"{counted(changed, 'recording', 'is', 'are')} new or changed in the library's list.",
            )
            self.refresh()

        session.jobs.start("list recordings", "hashing recordings", work, done)

    def _show(self, heads: list[Any]) -> None:
        self.shown = [head.state for head in heads]
        clear_layout(self._rows)
        for head in heads:
            self._add(head.state, head.revision.author)
        if not heads:
            self._rows.addWidget(Hint("No recording is listed yet. The list says what was recorded and where it lies."))

    def _add(self, one: Any, author: str) -> None:
        name = label(f"{one.name}{f' · {one.trial}' if one.trial else ''}", wrap=True)
        name.setFont(text_font(bold=True))
        self._rows.addWidget(name)
        lanes = ", ".join(f"{lane.name} ({lane.protocol}, {counted(lane.frames, 'frame')})" for lane in one.lanes)
        self._rows.addWidget(label(lanes, wrap=True))
        begun = datetime.fromtimestamp(one.first_ns / 1e9, UTC).astimezone()
        self._rows.addWidget(
            label(f"{begun:%Y-%m-%d %H:%M} · {counted(one.size, 'byte')} · listed by {author}", "quiet", wrap=True)
        )
        place = label(f"{one.path}  sha256 {one.sha256[:16]}…", "quiet", wrap=True, selectable=True)
        place.setFont(figure_font(11))
        self._rows.addWidget(place)
        self._rows.addWidget(hairline())

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()
