"""What can be done on Unravel, with its keys."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ...app.commands import Command
from ...app.session import Session

if TYPE_CHECKING:
    from .desk import UnravelDesk


def unravel_commands(desk: UnravelDesk, session: Session) -> list[Command]:
    """Return the commands of the desk."""

    def opened() -> bool:
        return session.capture is not None

    def keep() -> None:
        # K keeps the reading if the form is filled in, and goes to what is missing otherwise
        if not desk.side.keep_field():
            session.told.emit("", "Give it a name, then press Enter.")

    def read(step: int) -> None:
        desk.reckoner.choose(desk.reckoner.current_number + step)

    made = [
        ("keep", "Keep the chosen reading as a field", "K", keep),
        ("reading on", "Next reading of the selection", "]", lambda: read(1)),
        ("reading back", "Reading before", "[", lambda: read(-1)),
        ("select moving", "Select all unexplained moving bits", "U", desk.select_unexplained),
    ]
    return [Command(name, words, key, call, opened, "Unravel") for name, words, key, call in made]
