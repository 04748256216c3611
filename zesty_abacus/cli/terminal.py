"""What commands say to people: a line at a time, and nothing in it that a terminal obeys."""

from __future__ import annotations

import json

import click

from ..core.errors import AbacusError
from ..core.harmless import visible_line
from ..core.surprise import without_passwords


def say(line: str, *, err: bool = False) -> None:
    """Print a line on standard output, or standard error; names in it may be anybody's.

    What is said about a mistaken argument never repeats a password that stands in it.
    """
    click.echo(visible_line(without_passwords(line) if err else line), err=err)


def say_error(error: AbacusError) -> None:
    """Print an error on standard error: a sentence, and where several things are wrong a line for each."""
    say(f"zesty-abacus: {error.sentence}", err=True)
    for detail in error.details:
        say(f"  {detail}", err=True)


def say_json(value: object) -> None:
    """Print plain values as JSON on one line, in ASCII: a script reads the same, a terminal obeys nothing."""
    click.echo(json.dumps(value))
