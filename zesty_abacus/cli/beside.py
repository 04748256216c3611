"""``zesty-abacus beside``: one message on several lanes, or several messages, side by side."""

from __future__ import annotations

from pathlib import Path

import click

from ..core.errors import MisuseError
from .options import recipe_option, table_options


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--library", "where", default="", help="File, trial or server of the library, by whose names to ask.")
@click.option("--release", default="", help="A release of the library; the trial's, or the newest state if left out.")
@click.option("--message", default="", help="The message, on whatever lanes it was seen; needs a library.")
@click.option("--at", "places", multiple=True, help="LANE:ADDRESS of one side; given several times, the first first.")
@recipe_option
@table_options
def beside(
    sources: tuple[Path, ...], where: str, release: str, message: str, places: tuple[str, ...],
    recipes: tuple[Path, ...], form: str, as_is: bool, output: Path | None, force: bool,
) -> None:  # fmt: skip
    """Compare streams in SOURCES with the first of them, a row a stream.

    Frames are matched by payload, counter or time, whichever tells; it says which. Columns: lane, address, flags,
    words, message, frames, period_ns, matched_by, matched, lag_ns, lag_spread_ns, missing (frames of the first that it
    lacks), added, differing, first_difference_ns, differs (fields, or bits), says.
    """
    from ..core.beside.choosing import kinds_at, kinds_named
    from ..core.beside.compare import compare
    from ..core.handover.beside_table import BESIDE_SCHEMA, beside_table
    from .asking import layouts_of
    from .output import opened_sources, put_out, target_for

    if bool(message) == bool(places):
        raise MisuseError("it is not said what to compare.", hint="Give --message NAME, or --at LANE:ADDRESS twice.")
    target = target_for(output, force, *sources, *recipes, *([where] if where else []))
    layouts, origin = layouts_of(where, release, sources)
    with opened_sources(sources, recipes, where) as opened:
        meaning = opened.meaning(layouts, release)
        kinds = kinds_named(meaning, message) if message else kinds_at(opened.capture, places)
        put_out(form, target, BESIDE_SCHEMA, [beside_table(meaning, compare(meaning, kinds))], origin, as_is=as_is)
