"""What decoding gives: a column of raw, value, label and validity a field."""

from __future__ import annotations

import enum
from dataclasses import dataclass, field
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..frames.segment_frames import widened
from ..layouts.checks.check import Check
from ..layouts.fields import Field, FieldKind


class Validity(enum.IntEnum):
    """Whether a decoded value may be used, and if not, why."""

    GOOD = 0
    ABSENT = 1
    """Its selector has another value in this frame."""
    TOO_SHORT = 2
    """The frame ends before the field does."""
    NOT_AVAILABLE = 3
    """The sender says that there is no value."""
    OUTSIDE_LIMITS = 4
    """There is a value, and it is outside the limits of the layout."""
    CHECK_FAILED = 5
    """A check of the frame does not agree, so nothing in it may be believed."""
    FAULT = 6
    """The sender reports a fault instead of a value."""
    NOT_READABLE = 7
    """The bits are no value of this kind: a decimal digit above 9, a column that is no number."""
    OTHER_SHAPE = 8
    """The layout reads other frames of this kind: it asks for another size or payload pattern."""

    @property
    def words(self) -> str:
        """Return the state as the interface says it."""
        return self.name.lower().replace("_", " ")

    @property
    def is_present(self) -> bool:
        """Whether the bits are there at all."""
        return self not in (Validity.ABSENT, Validity.TOO_SHORT, Validity.OTHER_SHAPE)

    @property
    def has_value(self) -> bool:
        """Whether the value is what the sender meant, even if outside limits."""
        return self in (Validity.GOOD, Validity.OUTSIDE_LIMITS)


_HAS_VALUE = np.array([member.has_value for member in Validity])
"""By the number of a validity: looking up is quicker than comparing, and columns are often short."""


@dataclass(frozen=True, eq=False)
class FieldColumn:
    """A field decoded over many frames.

    Attributes
    ----------
    field
    raw : int64 or uint64 (n,), None for text and bytes
        The bits as an integer; of a float field, its bit pattern.
    value : int64, uint64 or float64 (n,), None for text and bytes
        ``raw * ratio + offset``; dtype as :func:`~zesty_abacus.core.codec.plan.value_dtype` says.
    content : uint8 (n, k), None for numbers
        The bytes of a text or raw bytes field, zero beyond ``lengths``.
    lengths : int64 (n,), None where all have k bytes
    validity : uint8 (n,)
        Members of :class:`Validity`.
    """

    field: Field
    raw: NDArray[np.int64] | NDArray[np.uint64] | None
    value: NDArray | None
    content: NDArray[np.uint8] | None
    validity: NDArray[np.uint8]
    lengths: NDArray[np.int64] | None = None

    def __len__(self) -> int:
        return len(self.validity)

    @property
    def has_value(self) -> NDArray[np.bool_]:
        """Which rows have a value, bool (n,); not remembered, since a check may still take values away."""
        return _HAS_VALUE[self.validity]

    def plot_values(self) -> NDArray[np.float64]:
        """Return values as float64 with NaN where there is none; text and bytes are all NaN."""
        if self.value is None:
            return np.full(len(self), np.nan)
        values = self.value.astype(np.float64)
        values[~self.has_value] = np.nan
        return values

    def label_codes(self) -> NDArray[np.int32]:
        """Return the index into ``field.names`` of each raw value, -1 where it has no name; int32 (n,)."""
        names = self.field.names
        if self.raw is None or not names or self.field.kind is FieldKind.BITS:
            return np.full(len(self), -1, np.int32)
        firsts = np.array([named.raw for named in names], self.raw.dtype)
        lasts = np.array([named.last for named in names], self.raw.dtype)
        order = np.argsort(firsts)
        place = order[np.clip(np.searchsorted(firsts[order], self.raw, side="right") - 1, 0, None)]
        found = (firsts[place] <= self.raw) & (self.raw <= lasts[place])
        return np.where(found, place, -1).astype(np.int32)

    def labels(self) -> tuple[list[str], NDArray[np.int32]]:
        """Return names, and the index into them of each row's, -1 where its raw value has none; int32 (n,)."""
        if self.field.kind is not FieldKind.BITS or self.raw is None:
            return [named.label for named in self.field.names], self.label_codes()
        distinct, which = np.unique(self.raw, return_inverse=True)
        return [self.field.label_of(raw) or "" for raw in distinct.tolist()], which.reshape(-1).astype(np.int32)

    def text_of(self, row: int) -> str:
        """Return the text of a row, or hex digits for raw bytes; empty for numbers."""
        if self.content is None:
            return ""
        data = self.content[row].tobytes()
        if self.lengths is not None:
            data = data[: int(self.lengths[row])]
        if self.field.kind is FieldKind.BYTES:
            return data.hex(" ").upper()
        code = self.field.code
        if code is None:
            text = data.decode(self.field.encoding, "replace")
        else:
            text = code.read(bits_of(data, self.field))
        # an empty set of characters would strip all white space
        return text.rstrip(self.field.padding) if self.field.padding else text

    def distinct_texts(self, rows: NDArray[np.integer]) -> tuple[list[str], NDArray[np.int64]]:
        """Return the different texts of some rows, each decoded once, and which of them each row has; int64 (m,)."""
        assert self.content is not None, "numbers have no text"
        content = self.content[rows]
        if self.lengths is not None:
            lengths = np.ascontiguousarray(self.lengths[rows]).view(np.uint8).reshape(len(rows), 8)
            content = np.concatenate([content, lengths], axis=1)
        if not content.shape[1]:
            return [""], np.zeros(len(rows), np.int64)
        whole = np.ascontiguousarray(content).view(np.dtype((np.void, content.shape[1]))).reshape(-1)
        _, firsts, inverse = np.unique(whole, return_index=True, return_inverse=True)
        return [self.text_of(row) for row in rows[firsts]], inverse.reshape(-1)

    def overrule(self, rows: NDArray[np.bool_], state: Validity) -> None:
        """Give some rows, bool (n,), another validity; what is not there stays so."""
        absent = (self.validity == Validity.ABSENT) | (self.validity == Validity.TOO_SHORT)
        self.validity[rows & ~absent] = state

    def take(self, rows: NDArray[np.integer]) -> FieldColumn:
        """Return the column with only these rows, in this order."""
        return FieldColumn(
            self.field,
            None if self.raw is None else self.raw[rows],
            None if self.value is None else self.value[rows],
            None if self.content is None else self.content[rows],
            self.validity[rows],
            None if self.lengths is None else self.lengths[rows],
        )

    def spread(self, rows: NDArray[np.integer], count: int) -> FieldColumn:
        """Return a column of ``count`` rows that has this one's at ``rows`` and is absent elsewhere."""
        if len(rows) == count:
            return self
        source = np.full(count, -1, np.int64)
        source[rows] = np.arange(len(rows))
        if len(self):
            made = self.take(np.maximum(source, 0))
        else:
            made = self._empty(count)
        made.validity[source < 0] = Validity.ABSENT
        return made

    def _empty(self, count: int) -> FieldColumn:
        def blank(array: NDArray | None) -> NDArray | None:
            return None if array is None else np.zeros((count, *array.shape[1:]), array.dtype)

        lengths = blank(self.lengths)
        return FieldColumn(
            self.field, blank(self.raw), blank(self.value), blank(self.content), np.zeros(count, np.uint8), lengths
        )


def bits_of(content: bytes, field: Field) -> str:
    """Return the bits of a text as ``0`` and ``1``; its bytes are filled up with zeros where it ends within one."""
    return "".join(f"{byte:08b}" for byte in content)[: len(field.places) or None]


def join_columns(columns: list[FieldColumn]) -> FieldColumn:
    """Put columns of one field one after another."""
    if len(columns) == 1:
        return columns[0]

    def joined(name: str) -> NDArray | None:
        arrays = [getattr(column, name) for column in columns]
        return None if arrays[0] is None else np.concatenate(arrays)

    content = None
    if columns[0].content is not None:
        width = max(column.content.shape[1] for column in columns)  # type: ignore[union-attr]
        content = np.concatenate([widened(column.content, width) for column in columns])  # type: ignore[arg-type]
    validity = np.concatenate([column.validity for column in columns])
    return FieldColumn(columns[0].field, joined("raw"), joined("value"), content, validity, joined("lengths"))


@dataclass(frozen=True, slots=True, eq=False)
class ArrayColumns:
    """The items of an array, or the elements of one type, over all frames.

    Rows are in order of frame, then of index.

    Attributes
    ----------
    id
        Of the group, the list of elements, or the case of it.
    name
    frame : int64 (m,)
        Row of the decoded matrix that each item belongs to.
    index : int64 (m, depth)
        Number of the item within its array, after those of the arrays around it.
    columns
        By field id, each (m,).
    axis : float64 (m,), None without an axis
        Where the item stands.
    axis_name, axis_unit
    lists
        Whether these are the types and lengths of elements, whose values are arrays of their own.
    """

    id: UUID
    name: str
    frame: NDArray[np.int64]
    index: NDArray[np.int64]
    columns: dict[UUID, FieldColumn]
    axis: NDArray[np.float64] | None = None
    axis_name: str = ""
    axis_unit: str = ""
    lists: bool = False

    def __len__(self) -> int:
        return len(self.frame)

    def rows_of(self, frame: int) -> slice:
        """Return the items of one frame."""
        first, last = np.searchsorted(self.frame, [frame, frame + 1])
        return slice(int(first), int(last))


@dataclass(frozen=True, slots=True, eq=False)
class CheckColumn:
    """How a check came out in every frame.

    Attributes
    ----------
    check
    state : uint8 (n,)
        Members of :class:`CheckState`.
    """

    check: Check
    state: NDArray[np.uint8]

    def note(self, frame: NDArray[np.int64], state: NDArray[np.uint8]) -> None:
        """Take in how it came out in parts of frames: it agrees in a frame if it disagrees in none of its parts."""
        agreeing = frame[state == CheckState.AGREES]
        self.state[agreeing] = np.where(
            self.state[agreeing] == CheckState.NOT_THERE, CheckState.AGREES, self.state[agreeing]
        )
        self.state[frame[state == CheckState.DISAGREES]] = CheckState.DISAGREES

    def count(self, state: CheckState) -> int:
        """Return in how many frames the check came out like this."""
        return int((self.state == state).sum())


class CheckState(enum.IntEnum):
    """How a check came out in a frame."""

    AGREES = 0
    DISAGREES = 1
    NOT_THERE = 2
    """The frame is too short, or the check's field is absent: nothing could be checked."""


@dataclass(frozen=True, slots=True, eq=False)
class Decoded:
    """All decoded fields of a kind.

    Attributes
    ----------
    columns
        What is there once a frame, computed values included, by id.
    arrays
        What is there several times a frame, by id of the group, list or case.
    checks
        By id.
    cut : bool (n,), None for a layout of fixed places
        Frames that end before their layout does.
    """

    columns: dict[UUID, FieldColumn]
    arrays: dict[UUID, ArrayColumns] = field(default_factory=dict)
    checks: dict[UUID, CheckColumn] = field(default_factory=dict)
    cut: NDArray[np.bool_] | None = None

    def __getitem__(self, field_id: UUID) -> FieldColumn:
        return self.columns[field_id]

    def named(self, name: str) -> FieldColumn:
        """Return the column of the field with this name.

        Raises
        ------
        KeyError
            If there is none.
        """
        for column in self.columns.values():
            if column.field.name == name:
                return column
        raise KeyError(name)
