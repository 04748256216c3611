"""``zesty-abacus decode``: recordings as physical values."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from .options import library_option, moments_option, recipe_option, table_options, time_option
from .terminal import say

if TYPE_CHECKING:
    from ..core.handover.clock_table import Between
    from ..core.handover.decoded_table import Shape
    from ..core.handover.times import TimeForm


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@library_option
@click.option("--release", default="", help="A release of the library; the trial's, or the newest state if left out.")
@click.option("--shape", type=click.Choice(["long", "wide", "clock"]), default="long", show_default=True)
@click.option("--every", default="100ms", show_default=True, help="Of clock: how far rows are apart.")
@click.option(
    "--between",
    type=click.Choice(["hold", "nearest", "linear"]),
    default="hold",
    show_default=True,
    help="Of clock: what a value is between two frames.",
)
@click.option("--where", "condition", default="", help="Only frames in which a condition holds.")
@click.option("--kept", default="", help="Instead: the name of a condition that the trial or the library keeps.")
@recipe_option
@moments_option
@time_option
@table_options
def decode(
    sources: tuple[Path, ...], where: str, release: str, shape: Shape, every: str, between: Between, condition: str,
    kept: str, recipes: tuple[Path, ...], moments: Path | None, times: TimeForm, form: str, as_is: bool,
    output: Path | None, force: bool,
) -> None:  # fmt: skip
    """Decode SOURCES with a library.

    Long: a row a frame and field: time_ns, lane, address, where (the address in words), message, field, raw, value,
    unit, label, valid.
    Wide: a row a frame and a column a field, message.field.
    Clock: a row every so often and a column a field; a value between two frames is that of the last one (hold), of the
    nearer one (nearest) or on a straight line (linear); names and texts are always held.
    """
    from ..core.durations import duration_ns
    from ..core.handover.decoded_table import Shaped, decoded_table
    from .asking import condition_of, layouts_of, rows_where
    from .output import opened_sources, put_out, target_for

    how = Shaped(shape, duration_ns(every), between)
    target = target_for(output, force, *sources, *recipes, where)
    layouts, origin = layouts_of(where, release, sources)
    assert origin is not None, "there is a library"
    say(f"decoded with {origin.words()}", err=True)
    with opened_sources(sources, recipes, where) as opened:
        meaning = opened.meaning(layouts, origin.release)
        asked = condition_of(condition, kept, where, opened)
        rows = rows_where(asked, opened, meaning, moments) if asked else None
        schema, table = decoded_table(meaning, how, rows)
        put_out(form, target, schema, table, origin, as_is=as_is, times=times, start_ns=opened.capture.origin_ns)
