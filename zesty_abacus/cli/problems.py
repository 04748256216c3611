"""``zesty-abacus problems``: what is wrong in recordings."""

from __future__ import annotations

from pathlib import Path

import click

from .options import recipe_option, table_options


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--library", "where", default="", help="File, trial or server of the library that says what is right.")
@click.option("--release", default="", help="A release of the library; the trial's, or the newest state if left out.")
@recipe_option
@table_options
def problems(
    sources: tuple[Path, ...], where: str, release: str, recipes: tuple[Path, ...],
    form: str, as_is: bool, output: Path | None, force: bool,
) -> None:  # fmt: skip
    """Put out what is wrong in SOURCES, what weighs most first.

    Columns: kind, lane, address, flags, message, field, count, first_ns, worst_ns, worst (seconds, per cent, bytes,
    frames, or the unit of the field), reason. Limits of a trial hold, and what it sets aside is left out.
    """
    from ..core.handover.problem_table import PROBLEM_SCHEMA, problem_table
    from ..core.problems.limits import Limits
    from ..core.problems.look import look_for_problems
    from .asking import layouts_of
    from .output import opened_sources, put_out, target_for
    from .terminal import say

    target = target_for(output, force, *sources, *recipes, *([where] if where else []))
    layouts, origin = layouts_of(where, release, sources)
    with opened_sources(sources, recipes, where) as opened:
        found = look_for_problems(opened.meaning(layouts, release), Limits(opened.said.limits)).problems
        aside = {one.key for one in opened.said.set_aside}
        told = [problem for problem in found if problem.key not in aside]
        if left_out := len(found) - len(told):
            which = "1 problem is" if left_out == 1 else f"{left_out} problems are"
            say(f"{which} set aside in the trial.", err=True)
        put_out(form, target, PROBLEM_SCHEMA, [problem_table(told)], origin, as_is=as_is)
