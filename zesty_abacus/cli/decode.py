"""``zesty-abacus decode``: recordings as physical values."""

from __future__ import annotations

from pathlib import Path

import click

from .options import moments_option, recipe_option, table_options
from .terminal import say


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--library", "where", required=True, help="File, trial or server of the library.")
@click.option("--release", default="", help="A release of the library; the trial's, or the newest state if left out.")
@click.option("--shape", type=click.Choice(["long", "wide"]), default="long", show_default=True)
@click.option("--where", "condition", default="", help="Only frames in which a condition holds.")
@click.option("--kept", default="", help="Instead: the name of a condition that the trial or the library keeps.")
@recipe_option
@moments_option
@table_options
def decode(
    sources: tuple[Path, ...], where: str, release: str, shape: str, condition: str, kept: str,
    recipes: tuple[Path, ...], moments: Path | None, form: str, as_is: bool, output: Path | None, force: bool,
) -> None:  # fmt: skip
    """Decode SOURCES with a library.

    Long: a row a frame and field: time_ns, lane, address, where (the address in words), message, field, raw, value,
    unit, label, valid.
    Wide: a row a frame and a column a field, message.field.
    """
    from ..core.handover.long_table import LONG_SCHEMA, long_table
    from ..core.handover.wide_table import wide_schema, wide_table
    from .asking import condition_of, layouts_of, rows_where
    from .output import opened_sources, put_out, target_for

    target = target_for(output, force, *sources, *recipes, where)
    layouts, origin = layouts_of(where, release, sources)
    assert origin is not None, "there is a library"
    say(f"decoded with {origin.words()}", err=True)
    with opened_sources(sources, recipes, where) as opened:
        meaning = opened.meaning(layouts, origin.release)
        asked = condition_of(condition, kept, where, opened)
        rows = rows_where(asked, opened, meaning, moments) if asked else None
        if shape == "long":
            put_out(form, target, LONG_SCHEMA, long_table(meaning, rows), origin, as_is=as_is)
        else:
            put_out(form, target, wide_schema(meaning), wide_table(meaning, rows), origin, as_is=as_is)
