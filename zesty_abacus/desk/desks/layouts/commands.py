"""What can be done on Layouts, with its keys."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...app.commands import Command
from ...app.session import Session

if TYPE_CHECKING:
    from .desk import LayoutsDesk


def layout_commands(desk: LayoutsDesk, session: Session) -> list[Command]:
    """Return the commands of the desk."""
    hand, reshaper = desk.hand, desk.reshaper

    def opened() -> bool:
        return session.capture is not None

    made = [
        ("new field", "New field from the selected beads", "F", hand.add_field),
        ("drop in", "Drop in an array, a check or a computed value", "Shift+F", desk.menus.offer_templates),
        ("other order", "Turn the byte order of the field round", "O", hand.turn_order),
        ("remove field", "Remove the field", "Shift+Del", hand.remove_field),
        ("next field", "Next field, in the first free bits", "Ctrl+Return", hand.add_next),
        ("split", "Split the open field", "S", reshaper.split),
        ("join", "Join the open field with the next one", "J", reshaper.join),
        ("bit up", "Move the open field up by a bit", "Ctrl+Left", lambda: reshaper.shift(1)),
        ("bit down", "Move the open field down by a bit", "Ctrl+Right", lambda: reshaper.shift(-1)),
        ("longer", "Make the open field a bit longer", "Ctrl+Shift+Left", lambda: reshaper.stretch(1)),
        ("shorter", "Make the open field a bit shorter", "Ctrl+Shift+Right", lambda: reshaper.stretch(-1)),
        ("find order", "Find the order of a known value", "V", desk.find_order),
        ("code table", "Work out the code table of a text", "", desk.find_code),
        ("next variant", "Next variant of the message", "]", lambda: desk.plan.tabs.go(1)),
        ("variant before", "Variant before", "[", lambda: desk.plan.tabs.go(-1)),
        ("compare", "Compare with another layout", "", desk.menus.offer_compared),
        ("another layout", "Another layout for frames like the one at the cursor", "", hand.begin_another),
        ("bring in", "Bring layouts in from a file", "", desk.ask_bring_in),
    ]
    return [Command(name, words, key, call, opened, "Layouts") for name, words, key, call in made]
