"""What the commands about a library share: options, a library that is closed again."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import click
import msgspec

from ...core.library.author import default_author
from ...core.library.store import Library
from ..libraries import open_library
from ..terminal import say_json as say_plain

LIBRARY = click.argument("where", metavar="LIBRARY")
"""A file, the folder of a trial, or the address of a server: ``postgresql://user@host/name``."""
ONLY = click.option("--only", multiple=True, help="Name of a layout; may be given several times.")
RELEASE = click.option("--release", default="", help="A release of the library; its newest state if left out.")
AUTHOR = click.option("--author", default=default_author, show_default="this user")
AS_JSON = click.option("--json", "as_json", is_flag=True, help="For scripts.")


@contextmanager
def opened(where: str) -> Iterator[Library]:
    """Open a library and close it whatever happens."""
    found = open_library(where)
    try:
        yield found
    finally:
        found.close()


def say_json(value: object) -> None:
    """Say a value as JSON on one line."""
    say_plain(msgspec.to_builtins(value, str_keys=True))
