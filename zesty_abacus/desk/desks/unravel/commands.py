"""What can be done on Unravel, with its keys."""

from __future__ import annotations

from collections.abc import Callable

from ...app.commands import Command
from ...app.session import Session
from .desk import UnravelDesk
from .finding_side import QUESTIONS
from .side import FINDINGS

_QUESTION_KEYS = ("V", "R", "A", "C")


def unravel_commands(desk: Callable[[], UnravelDesk], session: Session) -> list[Command]:
    """Return the commands of the desk, which is made when one of them is run."""

    def opened() -> bool:
        return session.capture is not None

    def keep() -> None:
        # K keeps what is in hand: a finding, or the reading if the form is filled in; else it goes to what is missing
        side = desk().side
        if side.page == FINDINGS and session.findings.in_hand is not None:
            side.findings.hand.keep_it()
        elif not side.selection.keep_field():
            session.told.emit("", "Give it a name, then press Enter.")

    def read(step: int) -> None:
        reckoner = desk().reckoner
        reckoner.choose(reckoner.current_number + step)

    made: list[tuple[str, str, str, Callable[[], object]]] = [
        ("keep", "Keep the finding in hand, or the chosen reading", "K", keep),
        ("keep all", "Keep everything likely in this message", "Shift+K",
         lambda: desk().side.findings.keep_all_likely()),
        ("finding on", "Next finding", "J", lambda: _step(desk(), 1)),
        ("finding back", "Finding before", "Shift+J", lambda: _step(desk(), -1)),
        ("show finding", "Show the frame that speaks for the finding", "S",
         lambda: desk().side.findings.hand.go_for()),
        ("show against", "Show a frame that speaks against the finding", "Shift+S",
         lambda: desk().side.findings.hand.go_against()),
        ("findings", "Show what was found out", "F", lambda: desk().side.show_findings()),
        *((f"ask {words}", f"Ask: {words}", key, lambda number=number: _ask(desk(), number))
          for number, (words, key) in enumerate(zip(QUESTIONS, _QUESTION_KEYS, strict=True))),
        ("claim", "Write down what you hold to be true of what is in hand", "W", lambda: desk().side.begin_claim()),
        ("evidence", "Add the frame at the cursor as evidence to the claim in hand", "E",
         lambda: desk().add_frame()),
        ("curve evidence", "Add the chosen reading's curve as evidence to the claim in hand", "Shift+E",
         lambda: desk().add_curve()),
        ("reading on", "Next reading of the selection", "]", lambda: read(1)),
        ("reading back", "Reading before", "[", lambda: read(-1)),
        ("select moving", "Select all unexplained moving bits", "U", lambda: desk().select_unexplained()),
    ]  # fmt: skip
    return [Command(name, words, key, call, opened, "Unravel") for name, words, key, call in made]


def _ask(desk: UnravelDesk, number: int) -> None:
    desk.side.show_page(FINDINGS)
    desk.side.findings.ask(number)


def _step(desk: UnravelDesk, by: int) -> None:
    desk.side.show_findings()
    desk.side.findings.step(by)
