"""The columns of texts that are put together of several fields."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..layouts.computed import Computed
from ..layouts.joined import Piece
from .columns import FieldColumn, Validity
from .scope import Scope
from .wording import decimals_of

_Texts = tuple[list[str], NDArray[np.int64]]


def joined_column(value: Computed, scope: Scope) -> FieldColumn:
    """Return the column of a text; it is there where all of its fields have a value.

    Each different value of a field is put into words once, and each different text encoded once.
    """
    validity = np.full(scope.count, Validity.GOOD, np.uint8)
    which = np.zeros(scope.count, np.int64)
    texts = [""]
    for piece in value.text.pieces:
        said, number = _said(piece, scope, validity)
        pairs, which = np.unique(which * len(said) + number, return_inverse=True)
        which = which.reshape(-1)
        texts = [texts[pair // len(said)] + said[pair % len(said)] for pair in pairs.tolist()]
    encoded = [text.encode() for text in texts]
    lengths = np.array([len(one) for one in encoded], np.int64)
    width = max(int(lengths.max(initial=0)), 1)
    table = np.zeros((len(encoded), width), np.uint8)
    for row, one in enumerate(encoded):
        table[row, : len(one)] = np.frombuffer(one, np.uint8)
    lengths = np.where(validity == Validity.GOOD, lengths[which], 0)
    return FieldColumn(value.as_field(), None, None, table[which], validity, lengths)


def _said(piece: str | Piece, scope: Scope, validity: NDArray[np.uint8]) -> _Texts:
    """Return different texts, and which of them each row has; rows without a value are marked."""
    if isinstance(piece, str):
        return [piece], np.zeros(scope.count, np.int64)
    column = scope.column_named(piece.name)
    missing = ~column.has_value & (validity == Validity.GOOD)
    validity[missing] = column.validity[missing]
    if column.content is not None:
        return column.distinct_texts(np.arange(scope.count))
    assert column.value is not None and column.raw is not None, "what has no content is a number"
    labels, codes = column.labels()
    _, firsts, which = np.unique(column.value, return_index=True, return_inverse=True)
    return [
        labels[codes[row]] if codes[row] >= 0 else _number(piece, column, row) for row in firsts.tolist()
    ], which.reshape(-1)


def _number(piece: Piece, column: FieldColumn, row: int) -> str:
    """Return a number as a text holds it: digits, a point, a plain sign."""
    assert column.value is not None
    value = column.value[row].item()
    if isinstance(value, float) and not np.isfinite(value):
        return ""
    decimals = piece.decimals
    if decimals is None:
        decimals = 0 if float(value).is_integer() else decimals_of(column.field) or 6
    if not decimals:
        return f"{round(value):0{piece.width}d}" if piece.width else f"{round(value):d}"
    return f"{value:.{decimals}f}"
