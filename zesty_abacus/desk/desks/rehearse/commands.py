"""What can be done on Rehearse, with its keys."""

from __future__ import annotations

from collections.abc import Callable

from ...app.commands import Command
from ...app.session import Session
from .desk import RehearseDesk


def rehearse_commands(desk: Callable[[], RehearseDesk], session: Session) -> list[Command]:
    """Return the commands of the desk, which is made when one of them is run."""
    live = session.live

    def is_live() -> bool:
        return live.is_live

    here = "Rehearse"
    return [
        # on every desk: whoever wants silence on a bus wants it at once
        Command("send nothing", "Send nothing any more, on no lane", "Ctrl+.", live.sending.stop_all, is_live),
        Command("send once", "Send the composed message once", "Ctrl+Return",
                lambda: desk().composer.out.send_once(), is_live, here),
        Command("run rehearsal", "Run the chosen rehearsal, or stop it", "R", lambda: desk().rehearsals.run(),
                is_live, here),
        Command("connect endpoint", "Connect an endpoint", "E", lambda: desk().connecting.line.setFocus(), desk=here),
        Command("arm", "Record when something happens, or stop waiting for it", "O",
                lambda: desk().connecting.toggle_arm(), is_live, here),
        Command("hold still", "Let the picture stand still, or go on; nothing is lost", "Y",
                lambda: desk().log_line.hold.click(), is_live, here),
    ]  # fmt: skip
