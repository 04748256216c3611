"""``zesty-abacus library``: what a library holds, its releases, agreement, and the people and places that share it."""

from __future__ import annotations

import click

from ..groups import Entry, LazyGroup

_COMMANDS = {
    "new": Entry(".library.content:new", "Make an empty library, in a file or in a database of a server."),
    "import": Entry(".library.content:import_", "Bring files of layouts or recipes in."),
    "export": Entry(
        ".library.content:export", "Put out layouts as a file of one of the known formats, or all recipes."
    ),
    "sheet": Entry(".library.content:sheet", "Print the sheets of layouts: bit picture, fields, values, checks."),
    "columns": Entry(".library.content:columns", "Tell what the columns of a table seem to mean."),
    "show": Entry(".library.content:show", "Show layouts and their fields."),
    "check": Entry(".library.content:check", "Tell what is wrong with layouts, or with their history."),
    "log": Entry(".library.content:log", "Show the newest changes."),
    "release": Entry(".library.releases:release", "Give the newest state of all layouts a name that stays."),
    "releases": Entry(".library.releases:releases", "Show all releases, newest first."),
    "compare": Entry(".library.releases:compare", "Tell what differs between two releases."),
    "rules": Entry(".library.agreement:rules", "Show, or set, what a library asks for before it keeps a change."),
    "propose": Entry(".library.agreement:propose", "Propose layouts as changes."),
    "proposals": Entry(".library.agreement:proposals", "Show the proposals that wait."),
    "agree": Entry(".library.agreement:agree", "Agree to a proposal."),
    "reply": Entry(".library.agreement:reply", "Say something about a proposal."),
    "send-back": Entry(".library.agreement:send_back", "Ask the author of a proposal to change it."),
    "withdraw": Entry(".library.agreement:withdraw", "End a proposal of your own without keeping it."),
    "renew": Entry(".library.agreement:renew", "Put a proposal of your own on top of what others kept since."),
    "comment": Entry(".library.notes:comment", "Say something about a layout, or show what was said."),
    "claim": Entry(".library.notes:claim", "Keep what you hold to be true of some bits."),
    "claims": Entry(".library.notes:claims", "Show what people hold to be true of bits."),
    "rehearsals": Entry(".library.rehearsals:rehearsals", "Keep rehearsals, or show all, or put one out."),
    "conditions": Entry(".library.notes:conditions", "Share conditions under names, or show all."),
    "moments": Entry(".library.notes:moments", "Add words to a catalogue of moments, or show all."),
    "recordings": Entry(".library.notes:recordings", "Put what recordings hold into the list, or show it."),
    "sync": Entry(".library.sharing:sync", "Bring a working copy and a library together."),
    "roles": Entry(".library.sharing:roles", "Make the roles reader, writer and keeper."),
    "serve-local": Entry(".library.sharing:serve_local", "Run a server with a library of its own on this machine."),
}


@click.group(cls=LazyGroup, entries=_COMMANDS)
def library() -> None:
    """Make, fill, look at, check and share a library of layouts."""
