"""``zesty-abacus recipe``: what recordings look like, by measurement."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

import click

from .options import output_option
from .terminal import say

if TYPE_CHECKING:
    from ..core.recipes.model import Recipe
    from ..core.recipes.proposal import RecipeProposal


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@output_option
@click.option("--all", "every", is_flag=True, help="Put out every recipe that was measured, not only the best.")
def recipe(sources: tuple[Path, ...], output: Path | None, force: bool, every: bool) -> None:
    """Measure how SOURCES may be read and put out a recipe for each line found; the reasons go to standard error."""
    from ..core.captures.report import CaptureReadError
    from ..core.recipes.json_form import recipes_to_file_text
    from .output import put_text, target_for

    target = target_for(output, force, *sources)
    found: list[Recipe] = []
    unexplained: list[Path] = []
    for source in sources:
        made = _measured(source, every=every)
        if not made and not _holds_frames(source):
            unexplained.append(source)
        for proposal in made:
            words = f"{proposal.recipe.lane}, {proposal.recipe.speaks}" if len(sources) > 1 else proposal.recipe.speaks
            say(f"{words} ({proposal.score:.0%}): {'; '.join(proposal.reasons)}", err=True)
        found += [proposal.recipe for proposal in made]
    for source in unexplained if found else unexplained[1:]:
        say(f"zesty-abacus: {source}: no line code explains this recording.", err=True)
    if unexplained and not found:
        hint = "Open it on Intake."
        raise CaptureReadError("no line code explains this recording.", where=str(unexplained[0]), hint=hint)
    if found:
        put_text(recipes_to_file_text(found), target)


def _holds_frames(source: Path) -> bool:
    """Return whether a recording holds frames as they are, so that none is needed, and say so."""
    from ..core.captures.registry import line_formats, recognise
    from ..core.links.over_can import TAKES
    from ..core.recipes.propose import what_it_holds
    from ..core.trial.intake import SourceRequest, frames_of_source

    form = recognise(source)
    if form in {one.name for one in line_formats()}:
        return False
    table, report = frames_of_source(SourceRequest(source))
    needs_none = bool(len(table)) and what_it_holds(report, table) == TAKES
    if needs_none:
        say(f"zesty-abacus: {source}: no recipe is needed, it holds the frames of a bus.", err=True)
    return needs_none


def _measured(source: Path, *, every: bool) -> list[RecipeProposal]:
    """Return what was measured of a recording: the best for each line it holds, or everything."""
    from ..core.captures.registry import line_formats, read_lines, recognise
    from ..core.recipes.measured import measured_proposal
    from ..core.recipes.propose import best_of_each_line, propose, propose_for_frames
    from ..core.trial.intake import SourceRequest, frames_of_source

    form = recognise(source)
    if form in {one.name for one in line_formats()}:
        with tempfile.TemporaryDirectory(prefix="zesty-abacus-") as folder:
            recording, _ = read_lines(source, Path(folder), form)
            found = propose(source, recording)
            chosen = found if every else best_of_each_line(found)
            return [measured_proposal(proposal, recording) for proposal in chosen]
    table, report = frames_of_source(SourceRequest(source))
    found = propose_for_frames(source, report, table)
    return found if every else found[:1]
