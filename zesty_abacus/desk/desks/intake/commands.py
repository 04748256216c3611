"""What can be done on Intake, with its keys."""

from __future__ import annotations

from collections.abc import Callable

from ...app.commands import Command
from ...app.session import Session
from .bench import Bench
from .desk import IntakeDesk


def intake_commands(
    desk: Callable[[], IntakeDesk], if_made: Callable[[], IntakeDesk | None], session: Session
) -> list[Command]:
    """Return the commands of the desk, which is made when one of them is run.

    Nothing came out while nobody needed the desk yet, so most of them make no sense before.
    """

    def bench() -> Bench:
        return desk().bench

    def out() -> bool:
        made = if_made()
        return made is not None and made.bench.outcome is not None

    def search(go: Callable[[int], bool], step: int, what: str) -> None:
        if not go(step):
            session.told.emit("", f"There is no {'further' if step > 0 else 'earlier'} {what}.")

    def fault(step: int) -> None:
        search(bench().frames.go_to_fault, step, "fault")

    def device(step: int) -> None:
        search(bench().frames.go_to_device, step, "frame of this device")

    made: list[tuple[str, str, str, Callable[[], object]]] = [
        ("next fault", "Next fault", "E", lambda: fault(1)),
        ("fault before", "Fault before", "Shift+E", lambda: fault(-1)),
        ("next same", "Next frame of this device", "A", lambda: device(1)),
        ("same before", "Frame of this device before", "Shift+A", lambda: device(-1)),
        ("whole frame", "Bring the whole frame into view", "W",
         lambda: bench().frames.show_frame(bench().frames.current())),
        ("whole source", "Show the whole recording", "Shift+X", lambda: session.clock.set_view(*bench().span_ns)),
        ("use frames", "Use these frames", "Shift+U", lambda: bench().use()),
        ("ask wave", "Ask something of what came out", "Q", lambda: desk().condition.begin()),
    ]  # fmt: skip
    return [Command(name, words, key, call, out, "Intake") for name, words, key, call in made]
