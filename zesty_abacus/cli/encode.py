"""``zesty-abacus encode``: values to the bytes of a frame."""

from __future__ import annotations

from typing import Any

import click

from .options import library_option
from .terminal import say


@click.command()
@library_option
@click.argument("message")
@click.argument("values", nargs=-1, metavar="FIELD=VALUE...")
def encode(where: str, message: str, values: tuple[str, ...]) -> None:
    """Encode MESSAGE (its name or address) from FIELD=VALUE pairs and print address#payload in hex.

    A value is a number, a name, yes or no of a flag, or 'not available' and 'fault' where the layout says which number
    means that. Bits without a value are zero. A value between two steps goes to the nearer one; the difference is
    told on standard error. An array is given as JSON: heights='[{"height": 0.5}]'. Counts, lengths and checks that
    are not given are worked out.
    """
    from ..core.codec.messages import encode_message
    from ..core.codec.named import layout_named
    from ..core.layouts.numbers import format_exact
    from .libraries import open_library

    library = open_library(where)
    layouts = library.layouts.states()
    library.close()
    layout = layout_named(layouts, message, str(where))
    fields = {field.name: field for field in layout.all_fields()}
    pairs = {}
    for value in values:
        name, equals, text = value.partition("=")
        if not equals:
            raise click.UsageError(f"{value!r} is not FIELD=VALUE.")
        is_text = name in fields and not fields[name].raw_is_number
        pairs[name] = text if is_text else _value(name, text)
    encoded = encode_message(layout, pairs)
    say(f"{layout.applies.hex_text().removeprefix('0x')}#{encoded.payload.hex().upper()}")
    for name, loss in encoded.losses.items():
        say(f"zesty-abacus: {name} is off by {format_exact(loss)}, the nearest step", err=True)


def _value(name: str, text: str) -> Any:
    """Return a value as given, or the list or mapping that JSON says, with its numbers exact."""
    if not text.startswith(("[", "{")):
        return text
    from ..core.codec.lists import list_from_text

    return list_from_text(name, text)
