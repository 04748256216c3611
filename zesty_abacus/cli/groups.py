"""Groups of commands that are imported when one of them is called, so that help and wrong use answer at once."""

from __future__ import annotations

import importlib
from typing import NamedTuple

import click
from click.shell_completion import CompletionItem


class Entry(NamedTuple):
    """A command of a group: where it is (``module:attribute``), and what the help of the group says of it."""

    place: str
    words: str = ""


class LazyGroup(click.Group):
    """A group whose commands are imported by name.

    Parameters
    ----------
    entries
        By the word on the command line; one without words is not listed.
    """

    def __init__(self, *args, entries: dict[str, Entry], **settings) -> None:  # type: ignore[no-untyped-def]
        super().__init__(*args, **settings)
        self.entries = entries

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(self.entries)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in self.entries:
            return None
        module, attribute = self.entries[cmd_name].place.split(":")
        return getattr(importlib.import_module(module, __package__), attribute)

    def shell_complete(self, ctx: click.Context, incomplete: str) -> list[CompletionItem]:
        if incomplete.startswith("-"):
            return super().shell_complete(ctx, incomplete)
        # Click would import every command to ask it whether it is hidden
        return [CompletionItem(name, help=entry.words) for name, entry in self.entries.items()
                if entry.words and name.startswith(incomplete)]  # fmt: skip

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        # Click would import every command to ask it what it does
        with formatter.section("Commands"):
            formatter.write_dl([(name, entry.words) for name, entry in self.entries.items() if entry.words])
