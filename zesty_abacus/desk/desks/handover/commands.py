"""What can be done on Hand over; its keys are those of its pages."""

from __future__ import annotations

from collections.abc import Callable

from ...app.commands import Command
from .desk import CODE, FORWARD, REPORT, TABLES, TRIAL, HandOverDesk

_PAGES = (
    ("tables", "Hand over a table", TABLES),
    ("code", "Hand over code", CODE),
    ("report", "Hand over a report", REPORT),
    ("forward", "Forward readings", FORWARD),
    ("trial", "Pack the trial", TRIAL),
)


def handover_commands(desk: Callable[[], HandOverDesk]) -> list[Command]:
    """Return the commands of the desk, which is made when one of them is run."""
    return [
        Command(f"handover.{name}", words, "", lambda page=page: desk().pages.show_page(page), desk=HandOverDesk.name)  # type: ignore[misc]
        for name, words, page in _PAGES
    ]
