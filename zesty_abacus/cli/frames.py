"""``zesty-abacus frames``: recordings as a table of frames."""

from __future__ import annotations

from pathlib import Path

import click

from .options import table_options


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option(
    "--recipe",
    "recipes",
    multiple=True,
    type=click.Path(path_type=Path),
    help="File of recipes: how waves, bytes or packets become frames. The one that fits a source best is used.",
)
@table_options
def frames(
    sources: tuple[Path, ...], recipes: tuple[Path, ...], form: str, as_is: bool, output: Path | None, force: bool
) -> None:
    """Put out the frames of SOURCES (recordings, or the folder of a trial) in order of time.

    A source that is - comes through standard input.

    Columns: time_ns, lane, address, direction, flags, size, payload (hex).
    """
    from ..core.handover.frame_table import FRAME_SCHEMA, frame_table
    from .output import opened_sources, put_out, target_for

    target = target_for(output, force, *sources, *recipes)
    with opened_sources(sources, recipes) as opened:
        put_out(form, target, FRAME_SCHEMA, frame_table(opened.capture), as_is=as_is)
