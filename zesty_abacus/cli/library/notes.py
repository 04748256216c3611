"""What a library keeps besides layouts, on the command line: comments, moments, recordings."""

from __future__ import annotations

from pathlib import Path
from uuid import UUID, uuid4

import click

from ...core.library.documents import Comment
from ...core.library.errors import LibraryError
from ...core.library.moments import USUAL, add_moments, parse_moment
from ...core.library.store import Library
from ...core.trial.recorded import recordings_of
from ..output import opened_recordings
from .options import AS_JSON, AUTHOR, LIBRARY, library, opened, say_json


@library.command()
@LIBRARY
@click.argument("layout")
@click.argument("text", default="")
@AUTHOR
@AS_JSON
def comment(where: str, layout: str, text: str, author: str, as_json: bool) -> None:
    """Say TEXT about LAYOUT, given by its name; without TEXT show what was said."""
    with opened(where) as target:
        about = _layout(target, layout)
        if text.strip():
            target.comments.commit(Comment(uuid4(), about, text), parent=None, author=author)
            return
        found = target.comments.about(about)
    if as_json:
        say_json([{"author": one.revision.author, "time": one.revision.time, "text": one.state.text} for one in found])
        return
    for one in found:
        click.echo(f"{one.revision.time.astimezone():%Y-%m-%d %H:%M}  {one.revision.author}: {one.state.text}")


@library.command()
@LIBRARY
@click.argument("sources", nargs=-1, type=click.Path(path_type=Path))
@AUTHOR
@AS_JSON
def recordings(where: str, sources: tuple[Path, ...], author: str, as_json: bool) -> None:
    """Put what SOURCES, recordings or a trial, hold into the library's list; without SOURCES show the list.

    The frames stay in their files: the list says where each lay, its hash, its time, its lanes.
    """
    with opened(where) as target:
        if sources:
            with opened_recordings(sources) as (made, trial):
                fresh = recordings_of(made, trial)
            changed = target.recordings.import_all(fresh, author=author, reason="listed")
            click.echo(f"{changed} new or changed", err=True)
        found = [head.state for head in target.recordings.heads()]
    if as_json:
        say_json(found)
        return
    for one in found:
        lanes = ", ".join(f"{lane.name} ({lane.protocol}, {lane.frames} frames)" for lane in one.lanes)
        click.echo(f"{one.sha256[:12]}  {one.name}: {lanes or 'no frames'}  {one.path}")


@library.command()
@LIBRARY
@click.argument("texts", nargs=-1)
@click.option("--catalogue", default=USUAL, show_default=True, help="Name of the catalogue.")
@AUTHOR
@AS_JSON
def moments(where: str, texts: tuple[str, ...], catalogue: str, author: str, as_json: bool) -> None:
    """Add TEXTS, each WORDS or WORDS=MEANING, to a catalogue of moments; without TEXTS show all catalogues."""
    with opened(where) as target:
        if texts:
            add_moments(target, [parse_moment(text) for text in texts], author=author, name=catalogue)
        found = [head.state for head in target.moments.heads()]
    if as_json:
        say_json(found)
        return
    for one in found:
        for moment in one.moments:
            click.echo(f"{one.name}: {moment.text}{f' = {moment.meaning}' if moment.meaning else ''}")


def _layout(target: Library, name: str) -> UUID:
    found = [one for one in target.find(name) if one.name.casefold() == name.casefold()]
    if len(found) != 1:
        words = "no layout is" if not found else f"{len(found)} layouts are"
        raise LibraryError(f"{words} called {name!r}.", where=str(target.address))
    return found[0].layout_id
