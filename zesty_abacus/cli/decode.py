"""``zesty-abacus decode``: recordings as physical values."""

from __future__ import annotations

from pathlib import Path

import click

from .options import table_options
from .terminal import say


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--library", "where", required=True, help="File, trial or server of the library.")
@click.option("--release", default="", help="A release of the library; the trial's, or the newest state if left out.")
@click.option("--shape", type=click.Choice(["long", "wide"]), default="long", show_default=True)
@table_options
def decode(sources: tuple[Path, ...], where: str, release: str, shape: str, form: str,
           as_is: bool, output: Path | None, force: bool) -> None:  # fmt: skip
    """Decode SOURCES with a library.

    Long: a row a frame and field: time_ns, lane, address, message, field, raw, value, unit, label, valid.
    Wide: a row a frame and a column a field, message.field.
    """
    from ..core.handover.long_table import LONG_SCHEMA, long_table
    from ..core.handover.wide_table import wide_schema, wide_table
    from .libraries import open_library, release_of_trial
    from .output import opened_sources, put_out, target_for

    target = target_for(output, force, *sources, where)
    release = release or release_of_trial(where)
    library = open_library(where)
    layouts = library.layouts.of_release(release) if release else library.layouts.states()
    origin = library.origin(release, sources)
    say(f"decoded with {origin.words()}", err=True)
    library.close()
    with opened_sources(sources) as opened:
        meaning = opened.meaning(layouts, release)
        if shape == "long":
            put_out(form, target, LONG_SCHEMA, long_table(meaning), origin, as_is=as_is)
        else:
            put_out(form, target, wide_schema(meaning), wide_table(meaning), origin, as_is=as_is)
