"""Releases on the command line: make them, list them, compare them in words and on a capture."""

from __future__ import annotations

from pathlib import Path

import click

from ...core.layouts.compare import compare_sets
from ...core.reading.differences import Difference, decoded_differences
from ...core.words import counted
from ..options import recipe_option
from ..output import opened_sources
from ..terminal import say
from .options import AS_JSON, AUTHOR, LIBRARY, opened, say_json


@click.command()
@LIBRARY
@click.argument("name")
@click.option("--notes", default="")
@AUTHOR
def release(where: str, name: str, notes: str, author: str) -> None:
    """Give the newest state of all layouts a NAME that stays."""
    with opened(where) as target:
        target.releases.make(name, author=author, notes=notes)


@click.command()
@LIBRARY
@AS_JSON
def releases(where: str, as_json: bool) -> None:
    """Show all releases, newest first."""
    with opened(where) as source:
        found = source.releases.all()
    if as_json:
        say_json(found)
        return
    for one in found:
        stamp = one.time.astimezone().strftime("%Y-%m-%d %H:%M:%S")
        say(f"{one.name}  {stamp}  {one.author}  {counted(one.layouts, 'layout')}  {one.notes}".rstrip())


@click.command()
@LIBRARY
@click.argument("before")
@click.argument("after", default="")
@click.option("--on", "recordings", multiple=True, type=click.Path(path_type=Path),
              help="A recording, or a trial: decode it with both and tell what comes out otherwise.")  # fmt: skip
@recipe_option
@AS_JSON
def compare(
    where: str, before: str, after: str, recordings: tuple[Path, ...], recipes: tuple[Path, ...], as_json: bool
) -> None:
    """Tell what differs between the releases BEFORE and AFTER; the newest state if AFTER is left out."""
    with opened(where) as source:
        old = source.layouts.of_release(before)
        new = source.layouts.of_release(after) if after else source.layouts.states()
    found = compare_sets(old, new)
    decoded: list[Difference] = []
    if recordings:
        with opened_sources(recordings, recipes, where) as trial:
            decoded = decoded_differences(trial.meaning(old, before), trial.meaning(new, after))
    if as_json:
        words = [{"layout": one.name, "standing": one.standing.value, "words": list(one.words)} for one in found]
        say_json({"layouts": words, "decoded": decoded} if recordings else words)
        return
    for one in found:
        say(f"{one.name}: {one.standing.value}")
        for said in one.words:
            say(f"    {said}")
    for difference in decoded:
        say(_words(difference))
    if recordings and not decoded:
        say("Both decode these recordings alike.")


def _words(one: Difference) -> str:
    change = f"{one.before or 'nothing'} -> {one.after or 'nothing'}"
    return (
        f"{one.lane}, {one.message}.{one.field}: otherwise in {one.differing} of {one.frames} frames, "
        f"first {change} at {one.first_ns} ns"
    )
