"""``zesty-abacus encode``: values to the bytes of a frame."""

from __future__ import annotations

from pathlib import Path

import click

from ..core.codec.messages import encode_message
from ..core.errors import DataError
from ..core.layouts.numbers import format_exact
from .output import open_library


@click.command()
@click.option(
    "--library", "library_path", required=True, type=click.Path(path_type=Path), help="Library file or trial."
)
@click.argument("message")
@click.argument("values", nargs=-1, metavar="FIELD=VALUE...")
def encode(library_path: Path, message: str, values: tuple[str, ...]) -> None:
    """Encode MESSAGE (its name or address) from FIELD=VALUE pairs and print address#payload in hex.

    Bits without a value are zero. A value between two steps goes to the nearer one; the difference is told on
    standard error.
    """
    library = open_library(library_path)
    layouts = library.layouts()
    library.close()
    found = [item for item in layouts if message in (item.name, item.applies.address_text(), str(item.applies.address))]
    if not found:
        raise DataError(f"there is no message {message!r}.", where=str(library_path))
    pairs = {}
    for value in values:
        name, equals, text = value.partition("=")
        if not equals:
            raise click.UsageError(f"{value!r} is not FIELD=VALUE.")
        pairs[name] = text
    encoded = encode_message(found[0], pairs)
    digits = found[0].applies.address_text()[2:]
    click.echo(f"{digits}#{encoded.payload.hex().upper()}")
    for name, loss in encoded.losses.items():
        click.echo(f"zesty-abacus: {name} is off by {format_exact(loss)}, the nearest step", err=True)
