"""Labels of fields as words under numbers."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import FieldColumn
from ..layouts.fields import FieldKind


class LabelWords:
    """Labels of many fields under numbers of one series, so that they can stand in one column."""

    def __init__(self) -> None:
        self.words: list[str] = []
        self._names: dict[int, int] = {}

    def of_names(self, column: FieldColumn, rows: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return the number of the name that each row's raw value has, -1 for none; int64."""
        if not column.field.names:
            return np.full(len(rows), -1)
        words, codes = column.labels()
        first = self._names.get(id(column.field)) if column.field.kind is not FieldKind.BITS else None
        if first is None:
            # which bits are set together differs from part to part
            first = self._names[id(column.field)] = self.add(words)
        mine = codes[rows].astype(np.int64)
        return np.where(mine >= 0, mine + first, -1)

    def of(self, column: FieldColumn, rows: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return the number of each row's label: a name, or what a text or raw bytes say; -1 for none; int64."""
        if column.content is None:
            return self.of_names(column, rows)
        texts, which = column.distinct_texts(rows)
        return which + self.add(texts)

    def of_numbers(self, column: FieldColumn, rows: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return the number of a word that is each row's raw value; int64."""
        assert column.raw is not None
        distinct, inverse = np.unique(column.raw[rows], return_inverse=True)
        return inverse.reshape(-1) + self.add([str(raw) for raw in distinct.tolist()])

    def add(self, words: Sequence[str]) -> int:
        """Add words; return the number of the first."""
        first = len(self.words)
        self.words.extend(words)
        return first
