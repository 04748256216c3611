"""What fields are by the codec, one by one: what generated code is compared with."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec

from ..codec.columns import FieldColumn, Validity

_ABSENT = int(Validity.ABSENT), int(Validity.TOO_SHORT)


@dataclass(frozen=True, slots=True)
class Expected:
    """What a field of a payload is.

    Attributes
    ----------
    is_there
    raw
        Its number; of text and raw bytes the bytes; None where it is not there, or no number.
    value
        Its value, NaN where there is none; of text and raw bytes NaN.
    """

    is_there: bool
    raw: int | bytes | None
    value: float


class Inside(msgspec.Struct, frozen=True):
    """What a struct of a payload is.

    Attributes
    ----------
    fields, computed
        By identifier.
    structs, lists
        What lies in it, by member; None is not there.
    """

    fields: dict[str, Expected]
    computed: dict[str, float]
    structs: dict[str, Inside | None] = {}
    lists: dict[str, tuple[Inside, ...]] = {}


def expected_of(column: FieldColumn, row: int) -> Expected:
    """Return what a column has in a row."""
    state = int(column.validity[row])
    if state in _ABSENT:
        return Expected(False, None, float("nan"))
    if column.raw is None:
        assert column.content is not None, "it is text or raw bytes"
        content = column.content[row].tobytes()
        content = content if column.lengths is None else content[: int(column.lengths[row])]
        return Expected(True, content, float("nan"))
    raw = None if state == Validity.NOT_READABLE else int(column.raw[row])
    value = float(column.value[row]) if column.value is not None and bool(column.has_value[row]) else float("nan")
    return Expected(True, raw, value)
