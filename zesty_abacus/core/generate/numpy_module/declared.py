"""The dataclass of a message, and the names of its raw values."""

from __future__ import annotations

from .terms import BODY, Terms, comment, docstring, raw_dtype


def dataclass_lines(terms: Terms) -> list[str]:
    """Return the lines of the dataclass."""
    layout = terms.message.layout
    sender = f", sent by {layout.sender}" if layout.sender else ""
    note = f" {layout.note.rstrip('.')}." if layout.note else ""
    said = docstring(f"{layout.name}: {layout.applies.words()}, {layout.size} bytes{sender}.{note}")
    members = [f"{BODY}{one.raw}: Any  # {raw_dtype(one)}{f'[{one.length}]' if one.length else ''}, "
               f"{comment(one.read_as)}" for one in terms.message.fields]  # fmt: skip
    return ["", "", "@dataclass", f"class {terms.struct}:", f'{BODY}"""{said}"""', "", *members]


def names_lines(terms: Terms) -> list[str]:
    """Return the names of raw values as a table a field."""
    lines: list[str] = []
    for one in terms.message.fields:
        if one.field.names:
            pairs = ", ".join(
                f"{f'({n.raw}, {n.last})' if n.to is not None else n.raw}: {n.label!r}" for n in one.field.names
            )
            lines.append(f"{terms.name}_{one.name}_names".upper() + f" = {{{pairs}}}")
    return ["", "", *lines] if lines else []
