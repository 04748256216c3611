"""``zesty-abacus replay``: recorded frames go out again."""

from __future__ import annotations

from contextlib import ExitStack
from pathlib import Path

import click

from ..core.words import counted
from .options import recipe_option


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--on", "endpoints", multiple=True, required=True, metavar="LANE=ENDPOINT", help="Where a lane goes.")
@click.option("--speed", type=click.FloatRange(0.001, 1000), default=1.0, show_default=True, help="Times as fast.")
@click.option("--loop", is_flag=True, help="Again and again, until it is stopped.")
@click.option("--where", "condition", default="", help="Only frames in which a condition holds.")
@click.option("--change", "changes", multiple=True, help="'Motion.heel = value * 2': worked out anew on the way.")
@click.option("--library", default="", help="File, trial or server of the library, whose fields may be named.")
@recipe_option
def replay(
    sources: tuple[Path, ...], endpoints: tuple[str, ...], speed: float, loop: bool, condition: str,
    changes: tuple[str, ...], library: str, recipes: tuple[Path, ...],
) -> None:  # fmt: skip
    """Send the frames of SOURCES (recordings, or a trial) to endpoints, as far apart in time as they were.

    Lanes that are not named are not sent. Where values are changed checks are made to agree again.
    """
    from ..core.live.registry import endpoint_of, lane_and_address
    from ..core.rehearse.changing import Changing, parse_change
    from ..core.rehearse.replay import Replay, rows_to_send
    from .asking import layouts_of, rows_where
    from .output import opened_sources
    from .stopping import stopped_by_signals
    from .terminal import say

    named = {lane_and_address(text)[0]: endpoint_of(text) for text in endpoints}
    if "" in named or len(named) < len(endpoints):
        raise click.UsageError("Write --on LANE=ENDPOINT, each lane once.")
    with opened_sources(sources, recipes, library) as opened, ExitStack() as stack:
        capture = opened.capture
        numbers = {lane.name: number for number, lane in enumerate(capture.lanes)}
        unknown = next((name for name in named if name not in numbers), None)
        if unknown is not None:
            raise click.UsageError(f"There is no lane {unknown!r}; there are {', '.join(numbers)}.")
        chosen = changing = None
        if condition or changes:
            layouts, _ = layouts_of(library, "", sources)
            meaning = opened.meaning(layouts)
            chosen = rows_where(condition, opened, meaning, None) if condition else None
            changing = Changing(meaning, [parse_change(text) for text in changes]).changed if changes else None
        rows = rows_to_send(capture, [numbers[name] for name in named], chosen)
        stopped = stack.enter_context(stopped_by_signals())
        for endpoint in named.values():
            endpoint.open()
            stack.callback(endpoint.close)
        targets = {numbers[name]: endpoint.send for name, endpoint in named.items()}
        kept = Replay(capture, rows, targets, speed, changing).run(stopped, None if loop else 1)
        say(f"zesty-abacus: {counted(len(rows), 'frame')} to send, {kept.words()}", err=True)
