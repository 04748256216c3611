"""``zesty-abacus frames``: recordings as a table of frames."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from .options import recipe_option, table_options, time_option

if TYPE_CHECKING:
    from ..core.handover.times import TimeForm


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@recipe_option
@time_option
@table_options
def frames(
    sources: tuple[Path, ...], recipes: tuple[Path, ...], times: TimeForm, form: str, as_is: bool, output: Path | None,
    force: bool,
) -> None:  # fmt: skip
    """Put out the frames of SOURCES (recordings, or the folder of a trial) in order of time.

    A source that is - comes through standard input.

    Columns: time_ns, lane, address, direction, flags, size, payload (hex), words (the address as lists write it). With
    -o NAME.log, .pcap or .pcapng they are written as a recording again.
    """
    from ..core.handover.frame_table import FRAME_SCHEMA, frame_table
    from ..core.handover.recording import is_recording, write_recording
    from .output import opened_sources, put_out, target_for

    target = target_for(output, force, *sources, *recipes)
    with opened_sources(sources, recipes) as opened:
        if target is not None and is_recording(target.path):
            write_recording(target, opened.capture)
            return
        put_out(form, target, FRAME_SCHEMA, frame_table(opened.capture), as_is=as_is, times=times,
                start_ns=opened.capture.origin_ns)  # fmt: skip
