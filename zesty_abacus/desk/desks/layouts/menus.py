"""What opens below the buttons of Layouts: what can be dropped in, what is done more rarely, what to compare with."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QMenu, QPushButton, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.parts import menu_of
from .comparing import Comparing
from .in_hand import LayoutInHand
from .putting_out import ask_and_print, ask_and_put_out
from .reshaper import Reshaper


class LayoutMenus:
    """The menus of the desk's head.

    Parameters
    ----------
    desk
        Owns the menus and the dialogs that they open.
    drop_in, more
        The buttons below which they open.
    find_order, find_code, unrecorded, bring_in
        Open these parts of the desk.
    """

    def __init__(
        self, desk: QWidget, session: Session, hand: LayoutInHand, reshaper: Reshaper, comparing: Comparing,
        drop_in: QPushButton, more: QPushButton, find_order: Callable[[], None], find_code: Callable[[], None],
        unrecorded: Callable[[], None], bring_in: Callable[[], None],
    ) -> None:  # fmt: skip
        self._desk, self._session, self._hand = desk, session, hand
        self._reshaper, self._comparing = reshaper, comparing
        self._drop_in, self._more = drop_in, more
        self._find_order, self._find_code = find_order, find_code
        self._unrecorded, self._bring_in = unrecorded, bring_in
        drop_in.clicked.connect(self.offer_templates)
        more.clicked.connect(self._offer_rarer)

    def offer_templates(self) -> None:
        """Offer what can be dropped in, by family: into the message, or into the array whose card is open."""
        menu = menu_of(self._desk)
        family = ""
        for template in engine.TEMPLATES:
            if template.family != family:
                family = template.family
                group = self._hand.group_in_hand(template)
                menu.addSection(family.capitalize() + (f" of {group.name}" if group is not None else ""))
            menu.addAction(template.name, lambda one=template: self._hand.drop(one))
        menu.popup(self._drop_in.mapToGlobal(self._drop_in.rect().bottomLeft()))

    def _offer_rarer(self) -> None:
        menu, layout = menu_of(self._desk), self._hand.whole
        desk, session = self._desk, self._session
        one = [layout] if layout is not None else []
        entries = (
            ("Split the open field\tS", self._reshaper.split), ("Join with the next field\tJ", self._reshaper.join),
            ("Find the order of a known value\tV", self._find_order),
            ("Work out the code table of a text", self._find_code),
            ("Compare with another layout…", self.offer_compared),
            ("Another layout for frames like the one at the cursor", self._hand.begin_another),
            ("A layout of a message that was not recorded…", self._unrecorded),
            ("Print its sheet…", lambda: ask_and_print(desk, session, one)),
            ("Print all sheets…", lambda: ask_and_print(desk, session, session.edits.layouts())),
            ("Put this layout out…", lambda: ask_and_put_out(desk, session, one)),
            ("Put all layouts out…", lambda: ask_and_put_out(desk, session, session.edits.layouts())),
            ("Bring layouts in…", self._bring_in),
        )  # fmt: skip
        for words, call in entries:
            menu.addAction(words, call)
        self._open_below_more(menu)

    def offer_compared(self) -> None:
        """Offer the other layouts to compare with, those of the same lane first."""
        layout = self._hand.whole
        if layout is None:
            return
        others = [one for one in self._session.edits.layouts() if one.id != layout.id]
        others.sort(key=lambda one: (one.applies.protocol != layout.applies.protocol, one.name))
        menu = menu_of(self._desk)
        for other in others:
            menu.addAction(other.name, lambda other=other: self._comparing.compare_with(other, other.name))
        self._open_below_more(menu)

    def _open_below_more(self, menu: QMenu) -> None:
        menu.popup(self._more.mapToGlobal(self._more.rect().bottomLeft()))
