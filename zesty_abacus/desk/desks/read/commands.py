"""What can be done on Read, with its keys."""

from __future__ import annotations

from collections.abc import Callable

from ...app.commands import Command
from ...app.session import Session
from .desk import ReadDesk


def read_commands(desk: Callable[[], ReadDesk], session: Session) -> list[Command]:
    """Return the commands of the desk, which is made when one of them is run."""

    def opened() -> bool:
        return session.capture is not None

    return [
        Command("ask", "Ask something of the frames", "Q", lambda: desk().condition.begin(), opened, "Read"),
        Command("problems", "Read what is wrong", "I", session.problems.list_wanted.emit, opened),
    ]
