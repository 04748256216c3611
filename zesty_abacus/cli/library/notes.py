"""What a library keeps besides layouts, on the command line: comments, moments, recordings."""

from __future__ import annotations

from pathlib import Path
from uuid import UUID, uuid4

import click
import msgspec

from ...core.layouts.places import parse_places
from ...core.library.conditions import share_condition
from ...core.library.documents import Claim, ClaimStanding, Comment
from ...core.library.errors import LibraryError
from ...core.library.moments import USUAL, add_moments, parse_moment
from ...core.library.store import Library
from ...core.trial.recorded import recordings_of
from ...core.words import counted
from ..options import recipe_option
from ..output import opened_sources
from ..terminal import say
from .options import AS_JSON, AUTHOR, LIBRARY, opened, say_json


@click.command()
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
        say(f"{one.revision.time.astimezone():%Y-%m-%d %H:%M}  {one.revision.author}: {one.state.text}")


@click.command()
@LIBRARY
@click.argument("sources", nargs=-1, type=click.Path(path_type=Path))
@recipe_option
@AUTHOR
@AS_JSON
def recordings(where: str, sources: tuple[Path, ...], recipes: tuple[Path, ...], author: str, as_json: bool) -> None:
    """Put what SOURCES, recordings or a trial, hold into the library's list; without SOURCES show the list.

    The frames stay in their files: the list says where each lay, its hash, its time, its lanes.
    """
    with opened(where) as target:
        if sources:
            with opened_sources(sources, recipes, where) as trial:
                fresh = recordings_of(trial.made, trial.name)
            changed = target.recordings.import_all(fresh, author=author, reason="listed")
            say(f"{changed} new or changed", err=True)
        found = [head.state for head in target.recordings.heads()]
    if as_json:
        say_json(found)
        return
    for one in found:
        lanes = ", ".join(f"{lane.name} ({lane.protocol}, {counted(lane.frames, 'frame')})" for lane in one.lanes)
        say(f"{one.sha256[:12]}  {one.name}: {lanes or 'no frames'}  {one.path}")


@click.command()
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
            say(f"{one.name}: {moment.text}{f' = {moment.meaning}' if moment.meaning else ''}")


@click.command()
@LIBRARY
@click.argument("texts", nargs=-1)
@AUTHOR
@AS_JSON
def conditions(where: str, texts: tuple[str, ...], author: str, as_json: bool) -> None:
    """Share TEXTS, each NAME=CONDITION, with everybody; without TEXTS show what is shared."""
    with opened(where) as target:
        for text in texts:
            name, _, condition = text.partition("=")
            share_condition(target, name, condition, author=author)
        found = sorted((head.state for head in target.conditions.heads()), key=lambda one: one.name)
    if as_json:
        say_json(found)
        return
    for one in found:
        say(f"{one.name} = {one.text}")


_STANDINGS = [one.value for one in ClaimStanding]


@click.command()
@LIBRARY
@click.argument("statement")
@click.option("--lane", required=True, help="Lane of the message it is about.")
@click.option("--address", default="", help="Address of the message, such as 0x1A0; any if left out.")
@click.option("--places", default="", help="The bits, such as 'B3[3..0] B2'; the message as a whole if left out.")
@click.option("--standing", type=click.Choice(_STANDINGS), default=ClaimStanding.GUESS.value, show_default=True)
@click.option("--evidence", multiple=True, help="What was seen; may be given several times.")
@AUTHOR
def claim(
    where: str, statement: str, lane: str, address: str, places: str, standing: str, evidence: tuple[str, ...],
    author: str,
) -> None:  # fmt: skip
    """Keep STATEMENT, what you hold to be true of some bits. The same statement again has its standing changed."""
    made = Claim(
        uuid4(), statement, lane, _address(address), str(parse_places(places)) if places else "",
        ClaimStanding(standing), evidence,
    )  # fmt: skip
    with opened(where) as target:
        same = (one for one in target.claims.heads() if (one.state.name, one.state.lane) == (statement, lane))
        head = next(same, None)
        parent = None
        if head is not None:
            made = msgspec.structs.replace(made, id=head.state.id, evidence=(*head.state.evidence, *evidence))
            parent = head.revision.id
        target.claims.commit(made, parent=parent, author=author, reason=standing)


@click.command()
@LIBRARY
@AS_JSON
def claims(where: str, as_json: bool) -> None:
    """Show what people hold to be true of bits that no layout explains yet."""
    with opened(where) as source:
        found = source.claims.heads()
    if as_json:
        say_json([{**msgspec.to_builtins(one.state), "author": one.revision.author} for one in found])
        return
    for one in found:
        address = f" 0x{one.state.address:X}" if one.state.address is not None else ""
        place = f" {one.state.places}" if one.state.places else ""
        where_it_is = f"{one.state.lane}{address}{place}"
        say(f"{one.state.standing.value:8} {where_it_is}: {one.state.name} ({one.revision.author})")
        for sentence in one.state.evidence:
            say(f"          {sentence}")
        for curve in one.state.curves:
            laid = f", with {curve.over_name} laid over" if curve.over else ""
            say(f"          curve: {curve.words}{laid}")


def _address(text: str) -> int | None:
    if not text:
        return None
    try:
        return int(text, 0)
    except ValueError as error:
        raise click.BadParameter(f"{text!r} is no address; write 0x1A0 or 416.") from error


def _layout(target: Library, name: str) -> UUID:
    found = [one for one in target.layouts.find(name) if one.name.casefold() == name.casefold()]
    if len(found) != 1:
        words = "no layout is" if not found else f"{len(found)} layouts are"
        raise LibraryError(f"{words} called {name!r}.", where=str(target.address))
    return found[0].layout_id
