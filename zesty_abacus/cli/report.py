"""``zesty-abacus report``: what recordings hold, as one page that stands alone."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING

import click

from .options import FORCE, recipe_option
from .terminal import say

if TYPE_CHECKING:
    from ..core.library.documents import Claim


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path), metavar="SOURCE...|TRIAL")
@click.option("--library", "where", default="", help="File, trial or server of the library; a trial's own if left out.")
@click.option("--release", default="", help="A release of the library; the trial's, or the newest state if left out.")
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="A .html or .pdf file.")
@recipe_option
@FORCE
def report(
    sources: tuple[Path, ...], where: str, release: str, output: Path, recipes: tuple[Path, ...], force: bool
) -> None:
    """Write a report on SOURCES: recordings with their hashes, explained bits, values, problems, layouts.

    Without a library it is a first survey: lanes, messages, periods, and what unknown bits seem to be.
    """
    from ..core.report.making import Material, make_report
    from ..core.report.writing import check_ending, write_report
    from ..core.trial.references import references_of
    from ..core.trial.trial import FILE_NAME, Trial
    from ..desk.widgets.pdf import pdf_of
    from .asking import layouts_of
    from .output import opened_sources, target_for

    is_trial = len(sources) == 1 and (sources[0] / FILE_NAME).exists()
    if is_trial and not where and Trial.open(sources[0]).library_address.exists():
        where = str(sources[0])
    target = target_for(output, force, *sources, *recipes, *([where] if where else []))
    if target is None:
        raise click.UsageError("a report is written to a file; name one that ends in .html or .pdf.")
    check_ending(target)
    if output.suffix.lower() == ".pdf":
        from ..desk.launch import make_application

        # fonts are drawn by the window's toolkit, which needs no screen for that
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        make_application()
    layouts, origin = layouts_of(where, release, sources)
    claims = _claims(where) if where else []
    with opened_sources(sources, recipes, where) as opened:
        meaning = opened.meaning(layouts, origin.release if origin else "")
        references = references_of(Trial.open(sources[0]), opened.made.outcomes)[0] if is_trial else []
        material = Material(meaning, opened.said, opened.made.outcomes, origin, claims, references)
        write_report(target, make_report(material), pdf_of)
    say(f"the report is in {output}", err=True)


def _claims(where: str) -> list[Claim]:
    from .libraries import open_library

    library = open_library(where)
    try:
        return list(library.claims.states())
    finally:
        library.close()
