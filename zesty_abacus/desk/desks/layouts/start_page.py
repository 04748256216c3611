"""What Layouts shows while the message in hand has no layout: why, and the ways to get one."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.parts import button, label, menu_of
from .unrecorded_form import UnrecordedForm

_BEGIN = "Begin a layout for this message"


class StartPage(QWidget):
    """A sentence, and what can be done about it.

    Events
    ------
    begin_wanted
        A layout is to be begun for the message in hand.
    unrecorded_wanted
        (layout) an empty layout of a message that was not recorded is to be kept.
    bring_wanted
        Layouts are to be brought in from a file.
    """

    begin_wanted = pyqtSignal()
    unrecorded_wanted = pyqtSignal(object)
    bring_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.words = label("", "quiet")
        self.words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.begin = button(_BEGIN, "", main=True)
        self.tie = button("Read it with another layout…", "Tie a layout of the library to this message by hand")
        self.bring = button("Bring layouts in…", "Read a file with layouts of others, or a table of fields")
        self.begin.clicked.connect(self.begin_wanted)
        self.bring.clicked.connect(self.bring_wanted)
        self.tie.clicked.connect(self._offer_ties)
        column = QVBoxLayout(self)
        column.addStretch(1)
        column.addWidget(self.words)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.begin)
        row.addWidget(self.tie)
        row.addWidget(self.bring)
        row.addStretch(1)
        column.addLayout(row)
        self.unrecorded = UnrecordedForm()
        self.unrecorded.begun.connect(self.unrecorded_wanted)
        column.addWidget(self.unrecorded, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(2)

    def show_message(self) -> None:
        """Say what can be done about the message in hand."""
        session = self._session
        self.bring.setVisible(session.capture is not None)
        self.unrecorded.setVisible(session.capture is not None and session.in_hand.kind is None)
        if session.capture is None or session.in_hand.kind is None:
            self.begin.hide()
            self.tie.hide()
            self.words.setText("Choose a message in the roster to see its plan.")
            return
        key = session.kinds.key(session.in_hand.kind)
        is_elsewhere = engine.kind_with_registers(session.capture, session.in_hand.kind) != session.in_hand.kind
        self.begin.setText("Lay out the registers of the other one" if is_elsewhere else _BEGIN)
        self.begin.setVisible(key.is_data)
        self.tie.setVisible(key.is_data and bool(session.ties.possible(session.in_hand.kind)))
        named = f"Nobody has named {session.kinds.address(session.in_hand.kind)} yet."
        if is_elsewhere:
            named = "No registers are in this message; they are in the other one of request and answer."
        self.words.setText(named if key.is_data else "Error and remote frames carry no payload to lay out.")

    def _offer_ties(self) -> None:
        """Offer the layouts of the library for what this lane speaks."""
        session = self._session
        menu = menu_of(self)
        for layout in session.ties.possible(session.in_hand.kind):
            menu.addAction(layout.name, lambda one=layout.id: session.ties.tie(session.in_hand.kind, one))
        menu.popup(self.tie.mapToGlobal(self.tie.rect().bottomLeft()))
