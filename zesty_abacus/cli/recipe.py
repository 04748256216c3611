"""``zesty-abacus recipe``: what a recording looks like, by measurement."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

import click

from .options import output_option
from .terminal import say

if TYPE_CHECKING:
    from ..core.recipes.propose import RecipeProposal


@click.command()
@click.argument("source", type=click.Path(path_type=Path))
@output_option
@click.option("--all", "every", is_flag=True, help="Put out every recipe that was measured, not only the best.")
def recipe(source: Path, output: Path | None, force: bool, every: bool) -> None:
    """Measure how SOURCE may be read and put out the best recipe; the reasons go to standard error."""
    from ..core.captures.report import CaptureReadError
    from ..core.recipes.json_form import recipes_to_file_text
    from .output import put_text, target_for

    target = target_for(output, force, source)
    found = _measured(source)
    if not found and _holds_frames(source):
        say(f"zesty-abacus: {source}: no recipe is needed, it holds the frames of a bus.", err=True)
        return
    if not found:
        raise CaptureReadError("no line code explains this recording.", where=str(source), hint="Open it on Intake.")
    for proposal in found if every else found[:1]:
        say(f"{proposal.recipe.speaks} ({proposal.score:.0%}): {'; '.join(proposal.reasons)}", err=True)
    text = recipes_to_file_text([proposal.recipe for proposal in (found if every else found[:1])])
    put_text(text, target)


def _holds_frames(source: Path) -> bool:
    """Return whether a recording holds frames as they are, and no lines, bytes or packets to make them of."""
    from ..core.captures.registry import line_formats, recognise
    from ..core.links.over_can import TAKES
    from ..core.recipes.propose import what_it_holds
    from ..core.trial.intake import SourceRequest, frames_of_source

    form = recognise(source)
    if form in {one.name for one in line_formats()}:
        return False
    table, _ = frames_of_source(SourceRequest(source))
    return bool(len(table)) and what_it_holds(form, table) == TAKES


def _measured(source: Path) -> list[RecipeProposal]:
    from ..core.captures.registry import line_formats, read_lines, recognise
    from ..core.recipes.propose import propose, propose_for_frames
    from ..core.trial.intake import SourceRequest, frames_of_source

    form = recognise(source)
    if form in {one.name for one in line_formats()}:
        with tempfile.TemporaryDirectory(prefix="zesty-abacus-") as folder:
            recording, _ = read_lines(source, Path(folder), form)
            return propose(source, recording)
    table, _ = frames_of_source(SourceRequest(source))
    return propose_for_frames(source, form, table)
