"""What can be done on Intake, with its keys."""

from __future__ import annotations

from collections.abc import Callable

from ...app.commands import Command
from .bench import Bench


def intake_commands(bench: Bench, ask: Callable[[], object]) -> list[Command]:
    """Return the commands of the desk."""

    def out() -> bool:
        return bench.outcome is not None

    def search(step: int, **what: bool) -> None:
        if not bench.frames.go_next(step, **what):
            words = "with a fault" if what.get("wrong") else "of this address"
            bench.session.told.emit("", f"There is no {'further' if step > 0 else 'earlier'} frame {words}.")

    made = [
        ("next fault", "Next frame with a fault", "E", lambda: search(1, wrong=True)),
        ("fault before", "Frame with a fault before", "Shift+E", lambda: search(-1, wrong=True)),
        ("next same", "Next frame of this address", "A", lambda: search(1, same_address=True)),
        ("same before", "Frame of this address before", "Shift+A", lambda: search(-1, same_address=True)),
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
