"""What can be done on Layouts, with its keys."""

from __future__ import annotations

from collections.abc import Callable

from ...app.commands import Command
from ...app.session import Session
from .desk import LayoutsDesk


def layout_commands(desk: Callable[[], LayoutsDesk], session: Session) -> list[Command]:
    """Return the commands of the desk, which is made when one of them is run."""

    def opened() -> bool:
        return session.capture is not None

    made: list[tuple[str, str, str, Callable[[], object]]] = [
        ("new field", "New field from the selected beads", "F", lambda: desk().hand.add_field()),
        ("drop in", "Drop in an array, a check or a computed value", "Shift+F",
         lambda: desk().menus.offer_templates()),
        ("other order", "Turn the byte order of the field round", "O", lambda: desk().hand.turn_order()),
        ("remove field", "Remove the field", "Shift+Del", lambda: desk().hand.remove_field()),
        ("next field", "Next field, in the first free bits", "Ctrl+Return", lambda: desk().hand.add_next()),
        ("split", "Split the open field", "S", lambda: desk().reshaper.split()),
        ("join", "Join the open field with the next one", "J", lambda: desk().reshaper.join()),
        ("bit up", "Move the open field up by a bit", "Ctrl+Left", lambda: desk().reshaper.shift(1)),
        ("bit down", "Move the open field down by a bit", "Ctrl+Right", lambda: desk().reshaper.shift(-1)),
        ("longer", "Make the open field a bit longer", "Ctrl+Shift+Left", lambda: desk().reshaper.stretch(1)),
        ("shorter", "Make the open field a bit shorter", "Ctrl+Shift+Right", lambda: desk().reshaper.stretch(-1)),
        ("find order", "Find the order of a known value", "V", lambda: desk().find_order()),
        ("code table", "Work out the code table of a text", "", lambda: desk().find_code()),
        ("next variant", "Next variant of the message", "]", lambda: desk().plan.tabs.go(1)),
        ("variant before", "Variant before", "[", lambda: desk().plan.tabs.go(-1)),
        ("compare", "Compare with another layout", "", lambda: desk().menus.offer_compared()),
        ("another layout", "Another layout for frames like the one at the cursor", "",
         lambda: desk().hand.begin_another()),
        ("unrecorded", "Begin a layout of a message that was not recorded", "", lambda: desk().ask_unrecorded()),
        ("bring in", "Bring layouts in from a file", "", lambda: desk().ask_bring_in()),
    ]  # fmt: skip
    return [Command(name, words, key, call, opened, "Layouts") for name, words, key, call in made]
