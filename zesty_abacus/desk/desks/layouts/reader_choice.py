"""Which layout of a message is in hand, where several read its frames, and the way back from one tied by hand."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from ...app.session import Session
from ...widgets.parts import Choice, button


class ReaderChoice(QWidget):
    """A choice among the layouts that share the message, and *Untie*."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.which = Choice()
        self.which.setAccessibleName("Which layout of this message")
        self.which.setToolTip("Several layouts read frames of this message; this one is in hand")
        self.which.activated.connect(self._choose)
        self.untie = button("Untie", "Let the library say again which layout reads this message", link=True)
        self.untie.clicked.connect(lambda: session.ties.tie(session.in_hand.kind, None))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.which)
        row.addWidget(self.untie)

    def show_readers(self) -> None:
        """Offer the layouts that share the message; one alone needs no choice."""
        session = self._session
        readers = session.reading.readers(session.in_hand.kind) if session.capture is not None else ()
        in_hand = session.reading.reader(session.in_hand.kind)
        self.which.clear()
        for reader in readers:
            self.which.addItem(reader.layout.name, reader.layout.id)
        self.which.setCurrentIndex(readers.index(in_hand) if in_hand is not None else -1)
        self.which.setVisible(len(readers) > 1)
        self.untie.setVisible(session.ties.is_tied(session.in_hand.kind))

    def _choose(self, _number: int) -> None:
        if self._session.in_hand.kind is not None:
            self._session.reading.choose(self._session.in_hand.kind, self.which.currentData())
