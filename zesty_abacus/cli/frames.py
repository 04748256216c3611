"""``zesty-abacus frames``: recordings as a table of frames."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from .options import chosen_options, recipe_option, table_options, time_option

if TYPE_CHECKING:
    from ..core.handover.times import TimeForm


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@recipe_option
@chosen_options
@time_option
@table_options
def frames(
    sources: tuple[Path, ...], recipes: tuple[Path, ...], lanes: tuple[str, ...], begin: str, end: str, times: TimeForm,
    form: str, as_is: bool, output: Path | None, force: bool,
) -> None:  # fmt: skip
    """Put out the frames of SOURCES (recordings, or the folder of a trial) in order of time.

    A source that is - comes through standard input.

    Columns: time_ns, lane, address, direction, flags, size, payload (hex), words (the address as lists write it). With
    -o NAME.log, .pcap or .pcapng they are written as a recording again; those in which a condition holds are by find.
    """
    from ..core.handover.frame_table import FRAME_SCHEMA, frame_table
    from .choosing import chosen
    from .output import opened_sources, put_out, target_for
    from .recordings import put_recording, wants_recording

    target = target_for(output, force, *sources, *recipes)
    with opened_sources(sources, recipes) as opened:
        span, kinds = chosen(opened.capture, lanes, begin, end)
        if target is not None and wants_recording(target):
            put_recording(target, opened.capture, span, kinds)
            return
        put_out(form, target, FRAME_SCHEMA, frame_table(opened.capture, span, kinds), as_is=as_is, times=times,
                start_ns=opened.capture.origin_ns)  # fmt: skip
