"""``zesty-abacus exchanges``: requests and what came back."""

from __future__ import annotations

from pathlib import Path

import click

from .options import recipe_option, table_options


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--library", "where", default="", help="File, trial or server of the library that says what they say.")
@click.option("--release", default="", help="A release of the library; the trial's, or the newest state if left out.")
@click.option("--unanswered-first", is_flag=True, help="Those that went wrong first, not all in order of time.")
@recipe_option
@table_options
def exchanges(
    sources: tuple[Path, ...], where: str, release: str, unanswered_first: bool, recipes: tuple[Path, ...],
    form: str, as_is: bool, output: Path | None, force: bool,
) -> None:  # fmt: skip
    """Put out the requests in SOURCES, each with what came back and how long it took.

    Columns: time_ns, lane, address, words, request, asked, asked_payload, took_ns, answer, came, came_payload, state
    (answered, unanswered, refused, late, not yet answered).
    """
    from ..core.handover.exchange_table import EXCHANGE_SCHEMA, exchange_table
    from ..core.pairing.exchanges import exchanges_of
    from .asking import layouts_of
    from .output import opened_sources, put_out, target_for

    target = target_for(output, force, *sources, *recipes, *([where] if where else []))
    layouts, origin = layouts_of(where, release, sources)
    with opened_sources(sources, recipes, where) as opened:
        meaning = opened.meaning(layouts, release)
        found = exchanges_of(meaning)
        table = exchange_table(meaning, found, found.in_order(unanswered_first=unanswered_first))
        put_out(form, target, EXCHANGE_SCHEMA, table, origin, as_is=as_is)
