"""What a field has to be that is written in characters: a column of a line, digits at a place."""

from __future__ import annotations

from ..fields import Field, FieldKind
from ..problems import Said

_READABLE = (
    FieldKind.UNSIGNED, FieldKind.SIGNED, FieldKind.FLOAT, FieldKind.FLAG, FieldKind.NAMES, FieldKind.TEXT,
    FieldKind.BYTES,
)  # fmt: skip
_FLOAT_DIGITS = (0, 4, 8, 16)


def character_problems(field: Field) -> Said:
    """Yield what is wrong with a field that is written in characters: the attribute and the sentence."""
    if field.kind not in _READABLE:
        words = ", ".join(kind.words for kind in _READABLE)
        yield "kind", f"{field.name} is {field.kind.words}, which text does not say; columns are {words}."
    if field.inverted:
        yield "inverted", f"{field.name} is a column of text, whose bits cannot be turned round."
    if field.kind is FieldKind.FLOAT and field.base not in (10, 16):
        yield "base", f"{field.name} is floating point, which text has in base 10, or as the hex digits of its bits."
    if field.kind is FieldKind.FLOAT and field.base == 16 and field.digits not in _FLOAT_DIGITS:
        yield "digits", f"{field.name} has {field.digits} hex digits; floating point has 4, 8 or 16."
