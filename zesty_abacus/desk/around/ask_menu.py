"""The menu of what may be asked of something that is pointed at."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QMenu, QWidget

from ..app.asking import Asking
from ..app.session import Session
from ..widgets.parts import menu_of


def ask_menu(
    owner: QWidget, session: Session, offers: Iterable[tuple[str, str]], at: QPoint, asking: Asking | None = None
) -> None:
    """Offer conditions in words; the chosen one takes the place of the condition in hand.

    Parameters
    ----------
    offers
        Words and condition of each.
    at
        On the screen.
    asking
        What is asked; that of the open capture, on Read, if left out.
    """
    menu = menu_of(owner)
    add_asking(menu, session, offers, asking)
    menu.popup(at)


def add_asking(menu: QMenu, session: Session, offers: Iterable[tuple[str, str]], asking: Asking | None = None) -> None:
    """Add what may be asked to a menu."""
    menu.addSection("Ask for")
    for words, condition in offers:
        action = menu.addAction(words)
        if action is not None:
            action.triggered.connect(lambda _on=False, condition=condition: _ask(session, condition, asking))


def _ask(session: Session, condition: str, asking: Asking | None) -> None:
    if asking is not None:
        asking.ask(condition)
        return
    session.asking.ask(condition)
    session.desk_wanted.emit("Read")
