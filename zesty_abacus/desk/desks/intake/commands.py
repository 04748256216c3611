"""What can be done on Intake, with its keys."""

from __future__ import annotations

from collections.abc import Callable

from ...app.commands import Command
from .bench import Bench


def intake_commands(bench: Bench, ask: Callable[[], object]) -> list[Command]:
    """Return the commands of the desk."""

    def out() -> bool:
        return bench.outcome is not None

    def search(go: Callable[[int], bool], step: int, what: str) -> None:
        if not go(step):
            bench.session.told.emit("", f"There is no {'further' if step > 0 else 'earlier'} {what}.")

    def fault(step: int) -> None:
        search(bench.frames.go_to_fault, step, "fault")

    def device(step: int) -> None:
        search(bench.frames.go_to_device, step, "frame of this device")

    made = [
        ("next fault", "Next fault", "E", lambda: fault(1)),
        ("fault before", "Fault before", "Shift+E", lambda: fault(-1)),
        ("next same", "Next frame of this device", "A", lambda: device(1)),
        ("same before", "Frame of this device before", "Shift+A", lambda: device(-1)),
        (
            "whole frame",
            "Bring the whole frame into view",
            "W",
            lambda: bench.frames.show_frame(bench.frames.current()),
        ),
        ("whole source", "Show the whole recording", "Shift+X", lambda: bench.session.clock.set_view(*bench.span_ns)),
        ("use frames", "Use these frames", "Shift+U", bench.use),
    ]

    question = Command("ask wave", "Ask something of what came out", "Q", ask, out, "Intake")
    return [*(Command(name, words, key, call, out, "Intake") for name, words, key, call in made), question]
