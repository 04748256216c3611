"""Proposals on the command line: the rules, what waits, and what is said and agreed about it."""

from __future__ import annotations

from pathlib import Path

import click

from ...core.layouts.changes import describe_change
from ...core.layouts.json_form import layouts_from_file
from ...core.library.errors import LibraryError
from ...core.library.proposals import Proposal, Rules
from ...core.library.renewing import propose_on_newest
from ...core.library.store import Library
from ...core.words import counted
from ..terminal import say
from .options import AS_JSON, AUTHOR, LIBRARY, opened, say_json


@click.command()
@LIBRARY
@click.option("--needed", type=click.IntRange(0, 20), help="How many others must agree; 0 keeps changes at once.")
@click.option("--by", "agreed_by", multiple=True,
              help="Who may agree: a login or role of the server, a name in a file. Anybody if left out.")  # fmt: skip
@AUTHOR
@AS_JSON
def rules(where: str, needed: int | None, agreed_by: tuple[str, ...], author: str, as_json: bool) -> None:
    """Show, or with --needed set, what a library asks for before it keeps a change."""
    with opened(where) as target:
        if needed is not None:
            target.proposals.set_rules(Rules(needed, agreed_by), author=author)
        elif agreed_by:
            raise click.UsageError("say how many are --needed, too.")
        found = target.proposals.rules()
    if as_json:
        say_json(found)
    else:
        say(found.words())


@click.command()
@LIBRARY
@click.option("--all", "ended", is_flag=True, help="Also those that ended.")
@AS_JSON
def proposals(where: str, ended: bool, as_json: bool) -> None:
    """Show the proposals that wait, with what each would change and what was said."""
    with opened(where) as source:
        found = source.proposals.all() if ended else source.proposals.open()
    if as_json:
        say_json([_plain(one) for one in found])
        return
    for one in found:
        say(f"{_short(one)}  {one.name}: {one.reason}  ({one.standing.value} by {one.author})")
        say(f"          {_change(one)}")
        for event in one.events:
            said = f": {event.text}" if event.text else ""
            say(f"          {event.time.astimezone():%Y-%m-%d %H:%M}  {event.author} {event.step.value}{said}")


@click.command()
@LIBRARY
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--reason", required=True, help="Why.")
@AUTHOR
def propose(where: str, files: tuple[Path, ...], reason: str, author: str) -> None:
    """Propose the layouts of FILES, our own JSON, as changes of those that LIBRARY has."""
    same = proposed = 0
    with opened(where) as target:
        for file in files:
            for layout in layouts_from_file(file):
                head = target.layouts.head_of(layout.id)
                if head is not None and head.state == layout:
                    same += 1
                    continue
                parent = head.revision.id if head is not None else None
                key = target.proposals.propose(layout.id, layout, parent=parent, author=author, reason=reason)
                proposed += 1
                say(f"{str(key)[:8]}  {layout.name}")
    if same:
        nothing = "; nothing is proposed" if not proposed else ""
        say(f"zesty-abacus: {counted(same, 'layout', 'is', 'are')} as the library has it{nothing}.", err=True)


_PROPOSAL = click.argument("proposal")


@click.command()
@LIBRARY
@_PROPOSAL
@click.option("--text", default="", help="What you say with it.")
@AUTHOR
def agree(where: str, proposal: str, text: str, author: str) -> None:
    """Agree to PROPOSAL, given by the first letters of its id; it is kept when enough have."""
    with opened(where) as target:
        one = _find(target, proposal)
        kept = target.proposals.agree(one.id, author=author, text=text, seen=one.state)
        needed = max(target.proposals.rules().needed, 1)
    say(f"{one.name} is kept." if kept else f"{one.name}: {len({*one.agreed, author})} of {needed} agreed.")


def _saying(name: str, method: str, words: str) -> click.Command:
    """Return a command that says something about a proposal."""

    @click.command(name, help=words)
    @LIBRARY
    @_PROPOSAL
    @click.argument("text", default="")
    @AUTHOR
    def said(where: str, proposal: str, text: str, author: str) -> None:
        with opened(where) as target:
            getattr(target.proposals, method)(_find(target, proposal).id, author=author, text=text)

    return said


reply = _saying("reply", "reply", "Say TEXT about PROPOSAL.")
send_back = _saying("send-back", "send_back", "Ask the author of PROPOSAL to change what TEXT says.")
withdraw = _saying("withdraw", "withdraw", "End your own PROPOSAL without keeping it.")


@click.command()
@LIBRARY
@_PROPOSAL
@AUTHOR
def renew(where: str, proposal: str, author: str) -> None:
    """Put your own PROPOSAL on top of what others kept since; who agreed agrees anew."""
    with opened(where) as target:
        one = _find(target, proposal)
        done = propose_on_newest(target, one.id, author=author)
    say(f"{one.name} is proposed anew." if done else f"{one.name} is on the newest state already.")


def _find(target: Library, start: str) -> Proposal:
    found = [one for one in target.proposals.all() if str(one.id).startswith(start.lower())]
    if len(found) != 1:
        words = "no proposal" if not found else f"{len(found)} proposals"
        raise LibraryError(f"{words} begin with {start!r}.", where=str(target.address),
                           hint="See them with: zesty-abacus library proposals.")  # fmt: skip
    return found[0]


def _short(one: Proposal) -> str:
    return str(one.id)[:8]


def _change(one: Proposal) -> str:
    if one.after is None:
        return "the layout is removed"
    return describe_change(one.before, one.after)


def _plain(one: Proposal) -> dict[str, object]:
    return {
        "id": one.id, "layout": one.layout_id, "name": one.name, "author": one.author, "reason": one.reason,
        "standing": one.standing.value, "agreed": one.agreed, "change": _change(one),
        "events": [
            {
                "step": event.step.value, "author": event.author, "login": event.login, "time": event.time,
                "text": event.text,
            }
            for event in one.events
        ],
    }  # fmt: skip
