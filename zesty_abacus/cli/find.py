"""``zesty-abacus find``: the frames in which a condition holds."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..core.words import counted
from .options import moments_option, recipe_option, table_options, time_option

NO_HIT = 3
"""Exit code: everything went well, and nothing was found."""


if TYPE_CHECKING:
    from ..core.handover.times import TimeForm


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--library", "where", default="", help="File, trial or server of the library, whose fields may be named.")
@click.option("--release", default="", help="A release of the library; the trial's, or the newest state if left out.")
@click.option("--where", "condition", default="", help="What is asked, as: size == 8 and `water speed` > 3 kn.")
@click.option("--kept", default="", help="Instead: the name of a condition that the trial or the library keeps.")
@recipe_option
@moments_option
@time_option
@table_options
def find(
    sources: tuple[Path, ...], where: str, release: str, condition: str, kept: str,
    recipes: tuple[Path, ...], moments: Path | None, times: TimeForm, form: str, as_is: bool,
    output: Path | None, force: bool,
) -> int:  # fmt: skip
    """Put out the frames of SOURCES in which a condition holds.

    Columns: those of frames, then message, says; of A then B within a time also since_ns. With -o NAME.log, .pcap or
    .pcapng the frames are written as a recording. Ends with 3 if none is found.
    """
    from ..core.conditions.hits import find as look
    from ..core.handover.found_table import FOUND_SCHEMA, SINCE_SCHEMA, found_table
    from .asking import bound, condition_of, layouts_of
    from .output import opened_sources, put_out, target_for
    from .recordings import put_recording, wants_recording
    from .terminal import say

    if not condition and not kept:
        raise click.UsageError("Nothing is asked. Write a condition behind --where, or name one behind --kept.")
    target = target_for(output, force, *sources, *recipes, *([where] if where else []))
    layouts, origin = layouts_of(where, release, sources)
    with opened_sources(sources, recipes, where) as opened:
        term = bound(condition_of(condition, kept, where, opened), opened, layouts, moments)
        meaning = opened.meaning(layouts, release)
        hits = look(meaning, term)
        say(f"frames {term.words()}: {counted(len(hits), 'hit')}", err=True)
        if target is not None and wants_recording(target):
            if len(hits):
                put_recording(target, opened.capture, hits.rows)
            return 0 if len(hits) else NO_HIT
        schema = FOUND_SCHEMA if hits.since_ns is None else SINCE_SCHEMA
        put_out(form, target, schema, found_table(meaning, hits.rows, hits.since_ns), origin, as_is=as_is,
                times=times, start_ns=opened.capture.origin_ns)  # fmt: skip
    return 0 if len(hits) else NO_HIT
