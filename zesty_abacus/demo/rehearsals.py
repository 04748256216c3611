"""The rehearsals of the demo's library, written for the bench."""

from __future__ import annotations

from ..core.library.rehearsals import keep_rehearsal
from ..core.library.store import Library
from ..core.rehearse.steps import (
    AnyStep,
    Expect,
    Never,
    Note,
    Rehearsal,
    Repeat,
    Send,
    Start,
    Stop,
    Until,
    Wait,
    rehearsal_to_json,
)

_RELEASE = Send(message="Hook request", values={"wanted": "release"})
_REFUSED = Expect(condition='`Hook state`.result == "refused"', within="200 ms")


def demo_rehearsals() -> tuple[Rehearsal, ...]:
    """Return what is rehearsed on the bench before a trial."""
    return (
        Rehearsal(
            name="Hook holds under load",
            note="asked to open above 2 kN the hook refuses, and stays closed",
            steps=(
                Until(condition="`Hook state`.pull > 2 kN", within="5 s"),
                Note(text="release tried under load"),
                Repeat(times=3, steps=(_RELEASE, _REFUSED, Wait(for_="100 ms"))),
                Never(condition="`Hook state`.closed == 0", for_="500 ms", while_="`Hook state`.pull > 2 kN"),
                Send(message="Hook request", values={"wanted": "release"}, faults=("wrong check",)),
                Never(condition='`Hook state`.result == "released"', for_="300 ms"),
            ),
        ),
        Rehearsal(
            name="Levers move the pods",
            note="what the helm says is what the shafts do",
            steps=_levers(),
        ),
    )


def _levers() -> tuple[AnyStep, ...]:
    return (
        Start(
            message="Helm lever", every="20 ms",
            values={"lever port": "ramp 0 to 80 in 1 s", "lever starboard": "= `lever port`"},
        ),
        Until(condition="`Azimuth feedback port`.torque > 40 %", within="8 s"),
        Stop(message="Helm lever"),
    )  # fmt: skip


def keep_demo_rehearsals(library: Library) -> None:
    """Keep the demo's rehearsals in its library."""
    for one in demo_rehearsals():
        keep_rehearsal(library, one.name, rehearsal_to_json(one).decode(), author="bench 2", note=one.note)
