"""What was said about what is in hand: a layout, or a claim."""

from __future__ import annotations

from typing import Any
from uuid import UUID, uuid4

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from ..app.doors import laid
from ..app.session import Session
from ..widgets.parts import clear_layout, label
from ..widgets.words import when_text


class TalkSection(QWidget):
    """Comments, oldest first, and a line to say something.

    Attributes
    ----------
    line
        What one says; Return keeps it.
    said
        The comments that are shown.
    """

    def __init__(self, session: Session, thing: str = "layout") -> None:
        super().__init__()
        self._session = session
        self._about: UUID | None = None
        self.said: list[Any] = []
        self.line = QLineEdit()
        self.line.setPlaceholderText(f"say something about this {thing}")
        self.line.setAccessibleName(f"Say something about this {thing}")
        self.line.returnPressed.connect(self._say)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(4)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label("said about it", "section"))
        column.addLayout(self._rows)
        column.addWidget(self.line)
        session.shared.notes_changed.connect(self.refresh)

    def show_about(self, about: UUID | None) -> None:
        """Show what was said about something, by its identity."""
        if about != self._about:
            self._about = about
            self.line.clear()
            self._show([])
            self.refresh()
        self.setVisible(about is not None)

    def refresh(self) -> None:
        """Read it again, on a thread."""
        about, library = self._about, self._session.library
        if about is None or library is None:
            return

        def show(found: list[Any]) -> None:
            if about == self._about:
                self._show(found)

        self._session.jobs.start(
            f"talk {id(self)}", "reading comments", lambda _progress: library.comments.about(about), show
        )

    def _say(self) -> None:
        text, about = self.line.text().strip(), self._about
        if not text or about is None:
            return
        session = self._session
        comment = laid.Comment(uuid4(), about, text)
        author = session.edits.line.author
        self.line.clear()
        session.shared.ask(
            "keeping the comment", lambda library: library.comments.commit(comment, parent=None, author=author),
            lambda _made: self.refresh(),
        )  # fmt: skip

    def _show(self, found: list[Any]) -> None:
        self.said = found
        clear_layout(self._rows)
        for head in found:
            self._rows.addWidget(label(head.state.text, wrap=True, selectable=True))
            self._rows.addWidget(label(f"{head.revision.author} · {when_text(head.revision.time)}", "quiet"))
