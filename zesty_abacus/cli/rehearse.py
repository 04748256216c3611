"""``zesty-abacus rehearse``: a written sequence, run on real buses, that passes or fails."""

from __future__ import annotations

import sys
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING

import click

from .options import library_option
from .terminal import say

if TYPE_CHECKING:
    from ..core.frames.table import FrameTable
    from ..core.library.store import Library
    from ..core.live.endpoint import Endpoint
    from ..core.rehearse.runner import StepOutcome
    from ..core.rehearse.steps import Rehearsal

_FAILED = 1


@click.command()
@click.argument("name", metavar="NAME|FILE")
@library_option
@click.option("--release", default="", help="A release of the library; the newest state if left out.")
@click.option("--on", "endpoints", multiple=True, metavar="LANE=ENDPOINT", help="What a lane is; once a lane.")
@click.option("--report", type=click.Path(path_type=Path), help="Write the outcome as JUnit XML.")
@click.option("--record", "recording", type=click.Path(path_type=Path), help="Write all frames to this file or trial.")
@click.option("--force", is_flag=True, help="Replace files that are there.")
def rehearse(
    name: str, where: str, release: str, endpoints: tuple[str, ...], report: Path | None, recording: Path | None,
    force: bool,
) -> int:  # fmt: skip
    """Run a rehearsal, of a FILE or kept in the library under NAME.

    Ends with 0 if it passed, 1 if it failed, 2 for wrong use.
    """
    from ..core.files.writing import Target
    from ..core.live.receiving import Receiving
    from ..core.live.registry import endpoint_of
    from ..core.live.sinks import open_sink
    from ..core.rehearse.outlets import Outlets
    from ..core.rehearse.prepared import Prepared
    from ..core.rehearse.report import junit_xml
    from ..core.rehearse.runner import Runner
    from .libraries import open_library
    from .output import target_for
    from .stopping import stopped_by_signals

    target = target_for(report, force, *([Path(name)] if Path(name).is_file() else []))
    made: list[Endpoint] = [endpoint_of(text) for text in _checked(endpoints)]
    library = open_library(where)
    layouts = library.layouts.of_release(release) if release else library.layouts.states()
    rehearsal = _found(name, library)
    with stopped_by_signals() as stopped, ExitStack() as stack:
        stack.callback(library.close)
        receiving = stack.enter_context(Receiving(made))
        outlets = Outlets(receiving)
        prepared = Prepared(rehearsal, layouts, outlets, lambda other: _found(other, library))
        for lane in outlets.lanes:
            outlets.allow(lane)
        came: Callable[[FrameTable], None] = lambda _table: None  # noqa: E731
        if recording is not None:
            sink = open_sink(Target(recording, force), receiving.lanes)
            stack.callback(sink.close)
            came = lambda table: sink.append(table, receiving.lanes)  # noqa: E731
        runner = Runner(prepared, receiving, outlets, ask=_ask, came=came, stepped=_tell, stopped=stopped)
        outcome = runner.run()
        for told in receiving.news():
            say(f"zesty-abacus: {told.sentence}", err=True)
        if target is not None:
            said = {"library": library.name, "release": release, "endpoints": ", ".join(endpoints)}
            target.write(junit_xml(outcome, {key: value for key, value in said.items() if value}))
    say(f"{rehearsal.name}: {'passed' if outcome.is_passed else 'failed'} in {outcome.seconds:.1f} s")
    return 0 if outcome.is_passed else _FAILED


def _checked(endpoints: tuple[str, ...]) -> tuple[str, ...]:
    from ..core.live.registry import lane_and_address

    if not endpoints:
        raise click.UsageError("Say what the lanes are: --on thruster=can:vcan0.")
    nameless = next((text for text in endpoints if not lane_and_address(text)[0]), None)
    # a bench has lanes of its own
    if nameless is not None and not nameless.startswith("bench:"):
        raise click.UsageError(f"{nameless!r} names no lane; write LANE=ENDPOINT.")
    return endpoints


def _found(name: str, library: Library) -> Rehearsal:
    from ..core.errors import MisuseError
    from ..core.rehearse.steps import rehearsal_from_file, rehearsal_from_json

    kept = next((head.state for head in library.rehearsals.heads() if head.state.name == name), None)
    if kept is not None:
        return rehearsal_from_json(kept.text.encode(), f"rehearsal {name}")
    if Path(name).is_file():
        return rehearsal_from_file(Path(name))
    known = ", ".join(head.state.name for head in library.rehearsals.heads()) or "none is kept"
    raise MisuseError(f"there is no rehearsal {name!r}, and no such file.", hint=f"In the library: {known}.")


def _ask(text: str) -> bool:
    if not sys.stdin.isatty():
        say(f"zesty-abacus: nobody is there to answer: {text}", err=True)
        return False
    return click.confirm(text, err=True)


def _tell(outcome: StepOutcome) -> None:
    if outcome.state:
        because = f": {outcome.reason} {outcome.frame}".rstrip().rstrip(":") if outcome.reason or outcome.frame else ""
        say(f"{outcome.number:>4}  {outcome.state}  {outcome.words}{because}")
