"""Beside the library: the layout that is chosen, who is here, and the rules."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine, laid
from ...app.session import Session
from ...around.talk import TalkSection
from ...widgets.parts import Panel, button, clear_layout, hairline, label
from ...widgets.theme import figure_font, text_font

_FIELDS_SHOWN = 40


class LibrarySide(Panel):
    """What is known of the chosen layout, the people and the rules.

    Events
    ------
    open_wanted
        (layout id) the layout is to be opened on its desk.
    """

    open_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__("In the library")
        self._session = session
        self.layout_id: UUID | None = None
        self.name = label("", wrap=True)
        self.name.setFont(text_font(bold=True))
        self.words = label("", "quiet", wrap=True)
        self.open = button("Open on Layouts", "With a message of this capture, if it reads one", main=True)
        self.open.clicked.connect(lambda: self.open_wanted.emit(self.layout_id))
        self._fields = QVBoxLayout()
        self._fields.setSpacing(1)
        self.talk = TalkSection(session)
        self.people = label("", wrap=True)
        self.rules = RulesForm(session)
        self._chosen = QWidget()
        column = QVBoxLayout(self._chosen)
        column.setContentsMargins(0, 0, 0, 0)
        for part in (self.name, self.words, self.open):
            column.addWidget(part)
        column.addLayout(self._fields)
        column.addWidget(self.talk)
        column.addWidget(hairline())
        self.body.addWidget(self._chosen)
        self.body.addWidget(label("here now", "section"))
        self.body.addWidget(self.people)
        self.body.addWidget(hairline())
        self.body.addWidget(self.rules)
        self.body.addStretch(1)
        session.shared.people_changed.connect(self._show_people)
        session.layouts_changed.connect(lambda: self.show_layout(self.layout_id))
        self.show_layout(None)
        self._show_people()

    def show_chosen(self, yes: bool) -> None:
        """Show the chosen layout, or leave it out on pages that have none."""
        self._chosen.setVisible(yes)

    def show_layout(self, layout_id: UUID | None) -> None:
        """Show a layout of the library."""
        session = self._session
        layout = session.edits.layout(layout_id) if layout_id is not None else None
        self.layout_id = layout_id if layout is not None else None
        self.name.setText(layout.name if layout is not None else "Choose a layout to see what it says.")
        self.open.setVisible(layout is not None)
        self.words.setVisible(layout is not None)
        self.talk.show_about(self.layout_id)
        clear_layout(self._fields)
        if layout is None:
            return
        kind = session.reading.kind_read_by(layout.id, session.in_hand.kind)
        reads = "" if kind is not None else " · reads no message of this capture"
        self.words.setText(f"{layout.applies.words()}{reads}")
        self._show_fields(layout)

    def _show_fields(self, layout: engine.Layout) -> None:
        fields = list(layout.all_fields())
        for field in fields[:_FIELDS_SHOWN]:
            row = QHBoxLayout()
            unit = f" · {field.unit}" if field.unit else ""
            row.addWidget(label(f"{field.name}{unit}", wrap=True), 1)
            place = label(str(field.places) if len(field.places) else "moves", "quiet")
            place.setFont(figure_font(11))
            row.addWidget(place)
            self._fields.addLayout(row)
        if len(fields) > _FIELDS_SHOWN:
            self._fields.addWidget(label(f"and {len(fields) - _FIELDS_SHOWN} more", "quiet"))

    def _show_people(self) -> None:
        session = self._session
        lines = [f"you, {session.edits.line.author}"]
        for one in session.shared.people:
            layout = session.edits.layout(one.layout_id) if one.layout_id is not None else None
            lines.append(f"{one.author}{f', with {layout.name} open' if layout is not None else ''}")
        self.people.setText("\n".join(lines))


class RulesForm(QWidget):
    """What the library asks for before it keeps a change, and a way to have it otherwise.

    Attributes
    ----------
    needed, agreed_by
        How many others must agree, and who may.
    save
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.words = label("", wrap=True)
        self.change = button("Change the rules", "Ask for the agreement of others before changes are kept", link=True)
        self.needed, self.agreed_by = QLineEdit(), QLineEdit()
        self.needed.setPlaceholderText("0 keeps changes at once")
        self.agreed_by.setPlaceholderText("names, or roles of the server; anybody if empty")
        self.needed.setAccessibleName("How many others must agree")
        self.agreed_by.setAccessibleName("Who may agree")
        self.save = button("Keep the rules", "From now on, for everybody", main=True)
        self._form = QWidget()
        form = QVBoxLayout(self._form)
        form.setContentsMargins(0, 0, 0, 0)
        for words, line in (("others who must agree", self.needed), ("who may agree", self.agreed_by)):
            form.addWidget(label(words, "section"))
            form.addWidget(line)
        form.addWidget(self.save)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label("rules", "section"))
        for part in (self.words, self.change, self._form):
            column.addWidget(part)
        self._form.hide()
        self.change.clicked.connect(self._begin)
        self.save.clicked.connect(self._save)
        session.shared.proposals.changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        rules = self._session.shared.proposals.rules
        self.words.setText(rules.words() if rules is not None else "")

    def _begin(self) -> None:
        rules = self._session.shared.proposals.rules
        self._form.setVisible(not self._form.isVisible())
        if rules is not None:
            self.needed.setText(str(rules.needed))
            self.agreed_by.setText(", ".join(rules.agreed_by))

    def _save(self) -> None:
        session = self._session
        text = self.needed.text().strip() or "0"
        if not text.isdigit() or int(text) > 20:
            session.told.emit("wrong", "How many others must agree is a number from 0 to 20.")
            return
        names = tuple(name.strip() for name in self.agreed_by.text().split(",") if name.strip())
        rules, author = laid.Rules(int(text), names), session.edits.line.author

        def done(_nothing: Any) -> None:
            self._form.hide()
            session.told.emit("good", rules.words())
            session.shared.proposals.read()

        session.shared.ask("keeping the rules", lambda library: library.proposals.set_rules(rules, author=author), done)
