"""The menu of what may be asked of something that is pointed at."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QWidget

from ..app.session import Session
from ..widgets.parts import menu_of


def ask_menu(owner: QWidget, session: Session, offers: Iterable[tuple[str, str]], at: QPoint) -> None:
    """Offer conditions in words; the chosen one takes the place of the condition in hand.

    Parameters
    ----------
    offers
        Words and condition of each.
    at
        On the screen.
    """
    menu = menu_of(owner)
    menu.addSection("Ask for")
    for words, condition in offers:
        action = menu.addAction(words)
        if action is not None:
            action.triggered.connect(lambda _on=False, condition=condition: _ask(session, condition))
    menu.popup(at)


def _ask(session: Session, condition: str) -> None:
    session.asking.ask(condition)
    session.desk_wanted.emit("Read")
