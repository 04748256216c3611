"""Decodes what moves, in batches of the same shape.

A stretch is a part of a payload: its row of the matrix, its first byte and its end. All stretches that have
the same layout are decoded together: their bytes are gathered to a matrix, and the kernel for fixed fields
does the rest. Only arrays whose items have no fixed size go item number by item number.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..expressions.columns import evaluate
from ..expressions.expression import Expression
from ..expressions.operation import Result
from ..kernels.stretches import HeadSteps, gather_stretches, head_steps
from ..layouts.model import Axis, Check, Computed, Field, Part
from .checks import run_checks
from .columns import ArrayColumns, CheckColumn, CheckState, FieldColumn, Validity, join_columns
from .computed import compute
from .fixed import along_curve, decode_fields, judge, selector_holds
from .plan import Plan, compile_places
from .scope import Scope
from .written import Spots, read_written, single_quotes

Columns = dict[UUID, FieldColumn]


@dataclass(frozen=True, slots=True, eq=False)
class Stretches:
    """Parts of payloads that are read the same way.

    Attributes
    ----------
    matrix : uint8 (N, w)
    row, start, limit : int64 (n,)
        Row of the matrix, first byte, and the byte it ends before.
    frame : int64 (n,)
        Row of the whole decoding each belongs to.
    index : int64 (n, depth)
        Numbers of the items it lies in.
    scope
        What expressions can name here.
    is_whole
        Whether each is a whole row of the matrix, in their order.
    """

    matrix: NDArray[np.uint8]
    row: NDArray[np.int64]
    start: NDArray[np.int64]
    limit: NDArray[np.int64]
    frame: NDArray[np.int64]
    index: NDArray[np.int64]
    scope: Scope
    is_whole: bool = False

    def __len__(self) -> int:
        return len(self.row)

    @property
    def end(self) -> NDArray[np.int64]:
        """Return the byte each ends before, at most the width of the matrix."""
        return np.minimum(self.limit, self.matrix.shape[1])

    def evaluate(self, expression: Expression) -> Result:
        """Return the values of an expression, one a stretch."""
        return evaluate(expression, self.scope)

    def amount(self, expression: Expression | None) -> NDArray[np.int64]:
        """Return what an expression says of how many or how long, 0 for none; it is kept within 0 and 2**32."""
        if expression is None:
            return np.zeros(len(self), np.int64)
        return np.clip(self.evaluate(expression).whole(0), 0, 1 << 32)

    def pick(self, owner: NDArray[np.int64], start: NDArray[np.int64], limit: NDArray[np.int64] | None = None,
             number: NDArray[np.int64] | None = None) -> Stretches:  # fmt: skip
        """Return stretches inside these: ``owner`` says in which, ``number`` as which item."""
        index = self.index[owner]
        scope = Scope(len(owner), self.scope, owner)
        if number is not None:
            index = np.column_stack([index, number])
            scope.add_special("item", number)
        ends = self.limit[owner] if limit is None else limit
        return Stretches(self.matrix, self.row[owner], start, ends, self.frame[owner], index, scope)


@dataclass(slots=True, eq=False)
class PartReader:
    """Reads parts, and keeps what they gave besides what is there once.

    Attributes
    ----------
    plan
        With the compiled fields of every part.
    was_cut : bool (frames,)
        Frames that end before their layout does.
    arrays
        Batches by id, in the order they were decoded.
    owners : int16 (frames, w * 8), None if not asked for
        The number of the field that each bit belongs to, -1 for none.
    numbers
        Number of each field by id, if owners are asked for.
    checks
        How the checks of parts came out, one state a frame, by id.
    """

    plan: Plan
    was_cut: NDArray[np.bool_]
    arrays: dict[UUID, list[ArrayColumns]] = field(default_factory=dict)
    owners: NDArray[np.int16] | None = None
    numbers: dict[UUID, int] = field(default_factory=dict)
    checks: dict[UUID, CheckColumn] = field(default_factory=dict)

    def parts(
        self, parts: Sequence[Part], here: Stretches, cursor: NDArray[np.int64]
    ) -> tuple[Columns, NDArray[np.int64]]:
        """Read parts one behind the other.

        Parameters
        ----------
        cursor : int64 (n,)
            Where the first part begins, a byte of the payload.

        Returns
        -------
        columns
            What is there once a stretch.
        cursor : int64 (n,)
            Where the last part ends.
        """
        columns: Columns = {}
        for part in parts:
            begin, present = _begin_of(part, here, cursor)
            owner = np.flatnonzero(present)
            inner = here.pick(owner, begin[owner]) if len(owner) < len(here) else replace(here, start=begin)
            made, after = part.decode(inner, self)
            spread = {key: column.spread(owner, len(here)) for key, column in made.items()}
            here.scope.add(spread, by_name=not part.names_are_its_own)
            columns |= spread
            if len(owner) == len(here):
                cursor = after
            else:
                cursor = cursor.copy()
                cursor[owner] = after
        return columns, cursor

    def fields(self, key: UUID, here: Stretches, width: int) -> tuple[Columns, NDArray[np.int64]]:
        """Read the fields with places that the plan has under a key, from the first ``width`` bytes of each stretch.

        Returns
        -------
        columns
        sizes : int64 (n,)
            How many of these bytes each has.
        """
        stretches, sizes = gather_stretches(here.matrix, here.row, here.start, here.limit, width)
        # compiled once with the layout, by the id of the part or case that holds the fields
        compiled = self.plan.groups[key]
        columns = decode_fields(compiled, stretches, sizes, here.scope)
        self.own_places(compiled.fields, columns, here)
        return columns, sizes

    def content(
        self, one: Field, here: Stretches, begin: NDArray[np.int64], end: NDArray[np.int64], complete: NDArray[np.bool_]
    ) -> FieldColumn:
        """Read bytes ``begin`` up to ``end`` as text or raw bytes; what is not complete is too short."""
        validity = np.where(complete, Validity.GOOD, Validity.TOO_SHORT).astype(np.uint8)
        return self._content(one, here, begin, end, validity)

    def _content(
        self, one: Field, here: Stretches, begin: NDArray[np.int64], end: NDArray[np.int64], validity: NDArray[np.uint8]
    ) -> FieldColumn:
        width = int(np.maximum(end - begin, 0).max(initial=0))
        content, sizes = gather_stretches(here.matrix, here.row, begin, end, width)
        return FieldColumn(one, None, None, content[:, : max(width, 1)], validity, sizes)

    def text(
        self, one: Field, content: NDArray[np.uint8], lengths: NDArray[np.int64], good: NDArray[np.bool_],
        short: NDArray[np.bool_],
    ) -> FieldColumn:  # fmt: skip
        """Return the column of a text that was put together; what is neither good nor too short is not readable."""
        states = [Validity.GOOD, Validity.TOO_SHORT]
        validity = np.select([good, short], states, Validity.NOT_READABLE).astype(np.uint8)
        return FieldColumn(one, None, None, content, validity, lengths)

    def put_together(self, key: UUID, content: NDArray[np.uint8], here: Stretches) -> Columns:
        """Read the fields that the plan has under a key from bytes that were put together; uint8 (n, w)."""
        return decode_fields(self.plan.groups[key], content, np.full(len(here), content.shape[1]), here.scope)

    def written(
        self, one: Field, here: Stretches, begin: NDArray[np.int64], end: NDArray[np.int64], *, quote: str = ""
    ) -> FieldColumn:
        """Read characters ``begin`` up to ``end`` as what a field is written as; nothing written is not available."""
        validity = np.zeros(len(here), np.uint8)
        validity[begin == end] = Validity.NOT_AVAILABLE
        validity[begin < 0] = Validity.TOO_SHORT
        if not one.raw_is_number:
            column = self._content(one, here, np.where(begin < 0, 1 << 40, begin), end, validity)
            return single_quotes(column, ord(quote)) if quote else column
        found = read_written(one, Spots(np.ascontiguousarray(here.matrix), here.row, begin, end))
        validity[~found.good & (validity == Validity.GOOD)] = Validity.NOT_READABLE
        validity[np.isnan(found.value) & (validity == Validity.GOOD)] = Validity.NOT_AVAILABLE
        value = along_curve(one, found.value.astype(np.float64)) if one.is_curved else found.value
        judge(one, found.raw, value, validity)
        return FieldColumn(one, found.raw, value, None, validity)

    def leave_out(self, column: FieldColumn, rows: NDArray[np.bool_]) -> None:
        """Take a field to be absent in some rows, bool (n,)."""
        column.validity[rows] = Validity.ABSENT

    def unscaled(self, one: Field, raw: NDArray[np.uint64]) -> FieldColumn:
        """Return the column of an unscaled field whose raw values are known."""
        validity = np.zeros(len(raw), np.uint8)
        judge(one, raw, raw, validity)
        return FieldColumn(one, raw, raw, None, validity)

    def head_steps(self, one: Field) -> HeadSteps:
        """Return the steps that read a field of at most eight bytes in a kernel."""
        return head_steps(compile_places(one.places), one.places.size_needed)

    def computed(self, values: Sequence[Computed], here: Stretches) -> Columns:
        """Return computed values, one a stretch."""
        return compute(values, here.scope) if values else {}

    def mark(self) -> dict[UUID, int]:
        """Return how many batches each array has by now, to tell later what came after."""
        return {key: len(batches) for key, batches in self.arrays.items()}

    def check(
        self, checks: Sequence[Check], fields: Sequence[Field], here: Stretches, end: NDArray[np.int64],
        columns: Columns, mark: Mapping[UUID, int],
    ) -> None:  # fmt: skip
        """Make checks over stretches that end before ``end``; what disagrees has no good value in it.

        Parameters
        ----------
        fields
            Those whose places count from where each stretch begins.
        columns
            What was read of the stretches, once each.
        mark
            From before they were read: arrays that came since lie in them.
        """
        width = int(np.maximum(end - here.start, 0).max(initial=0))
        content, sizes = gather_stretches(here.matrix, here.row, here.start, end, max(width, 1))
        scope = Scope(len(here), here.scope)
        scope.add_special("size", sizes)
        for key, column in run_checks(checks, content, sizes, scope, fields).items():
            frames = np.full(len(self.was_cut), CheckState.NOT_THERE, np.uint8)
            self.checks.setdefault(key, CheckColumn(column.check, frames)).note(here.frame, column.state)
            disagrees = column.state == CheckState.DISAGREES
            if column.check.spoils and disagrees.any():
                self._spoil(here, disagrees, columns, mark)

    def _spoil(self, here: Stretches, disagrees: NDArray[np.bool_], columns: Columns, mark: Mapping[UUID, int]) -> None:
        for column in columns.values():
            column.overrule(disagrees, Validity.CHECK_FAILED)
        depth = here.index.shape[1]
        bad = _as_keys(here.frame[disagrees], here.index[disagrees])
        for key, batches in self.arrays.items():
            for batch in batches[mark.get(key, 0) :]:
                within = np.isin(_as_keys(batch.frame, batch.index[:, :depth]), bad)
                for column in batch.columns.values():
                    column.overrule(within, Validity.CHECK_FAILED)

    def cut(self, here: Stretches, rows: NDArray[np.bool_]) -> None:
        """Note the frames of some stretches, bool (n,), as ending before their layout does."""
        if rows.any():
            self.was_cut[here.frame[rows]] = True

    def keep(
        self, key: UUID, name: str, items: Stretches, columns: Columns, axis: Axis | None = None, *, lists: bool = False
    ) -> None:
        """Keep items of an array; ``lists`` says that they are elements, whose cases are arrays of their own."""
        stands = None
        if axis is not None:
            start, step = items.evaluate(axis.start), items.evaluate(axis.step)
            stands = start.values.astype(np.float64) + items.index[:, -1] * step.values.astype(np.float64)
            stands[~(start.known_rows() & step.known_rows())] = np.nan
        words = (axis.name, axis.unit) if axis is not None else ("", "")
        batch = ArrayColumns(key, name, items.frame, items.index, columns, stands, *words, lists=lists)
        self.arrays.setdefault(key, []).append(batch)

    def own_places(self, fields: Sequence[Field], columns: Mapping[UUID, FieldColumn], here: Stretches) -> None:
        """Note the bits of fields with places, where they are present, as theirs."""
        if self.owners is None:
            return
        for one in fields:
            if one.id not in columns or one.id not in self.numbers:
                continue
            present = columns[one.id].validity != Validity.ABSENT
            if here.is_whole and not here.start.any():
                self._own_columns(self.numbers[one.id], np.array(one.places.bits, np.int64), present, here)
                continue
            rows = np.flatnonzero(present)
            for bit in one.places:
                at = here.start[rows] * 8 + bit
                inside = at // 8 < np.minimum(here.limit[rows], self.owners.shape[1] // 8)
                self.owners[here.frame[rows[inside]], at[inside]] = self.numbers[one.id]

    def _own_columns(self, number: int, bits: NDArray[np.int64], present: NDArray[np.bool_], here: Stretches) -> None:
        """Note the same bits of whole frames, which are columns of the owners."""
        assert self.owners is not None
        bits = bits[bits < self.owners.shape[1]]
        mine = present[:, None] & (bits // 8 < here.limit[:, None])
        if mine.all():
            self.owners[:, bits] = number
        else:
            self.owners[:, bits] = np.where(mine, np.int16(number), self.owners[:, bits])

    def own_bits(self, one: Field, here: Stretches, first: NDArray[np.int64], count: int, *, low_first: bool) -> None:
        """Note ``count`` bits of each stretch, from bit ``first`` of the payload on, as they follow one another."""
        if self.owners is None or one.id not in self.numbers:
            return
        at = (first[:, None] + np.arange(count)).reshape(-1)
        bits = at if low_first else at ^ 7
        frame = np.repeat(here.frame, count)
        inside = bits < self.owners.shape[1]
        self.owners[frame[inside], bits[inside]] = self.numbers[one.id]

    def own_bytes(self, one: Field, here: Stretches, begin: NDArray[np.int64], end: NDArray[np.int64]) -> None:
        """Note whole bytes ``begin`` up to ``end`` of each stretch; those of a field without a name are nobody's."""
        if one.id in self.numbers:
            self._own(self.numbers[one.id] if one.name else -1, here, begin, end)

    def own_structure(self, here: Stretches, begin: NDArray[np.int64], end: NDArray[np.int64]) -> None:
        """Note bytes that only hold a part together, such as the separators of a line; they count as reserved."""
        self._own(len(self.numbers), here, begin, end)

    def _own(self, number: int, here: Stretches, begin: NDArray[np.int64], end: NDArray[np.int64]) -> None:
        if self.owners is None:
            return
        width = self.owners.shape[1]
        first = np.clip(begin, 0, width // 8) * 8
        lengths = np.maximum(np.clip(end, 0, width // 8) * 8 - first, 0)
        lengths[begin < 0] = 0
        # every bit of every stretch as a place in the flat array
        before = np.cumsum(lengths) - lengths
        bits = np.repeat(here.frame * width + first - before, lengths) + np.arange(int(lengths.sum()))
        self.owners.reshape(-1)[bits] = number

    def joined(self) -> dict[UUID, ArrayColumns]:
        """Return each array as one, in order of frame and index."""
        return {key: _joined(batches) for key, batches in self.arrays.items()}


def _as_keys(frame: NDArray[np.int64], index: NDArray[np.int64]) -> NDArray:
    """Return frame and numbers of items as one value each, to be compared whole."""
    rows = np.ascontiguousarray(np.column_stack([frame, index]), np.int64)
    return rows.view(np.dtype((np.void, rows.shape[1] * 8))).reshape(-1)


def _begin_of(part: Part, here: Stretches, cursor: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    begin = cursor
    if part.start is not None:
        offset = here.evaluate(part.start).whole(-1)
        begin = np.where(offset < 0, here.limit + 1, here.start + np.minimum(offset, 1 << 40))
    if part.align > 1:
        begin = here.start + (begin - here.start + part.align - 1) // part.align * part.align
    if part.selected is None:
        return begin, np.ones(len(here), np.bool_)
    return begin, selector_holds(part.selected, here.scope)


def _joined(batches: list[ArrayColumns]) -> ArrayColumns:
    first = batches[0]
    if len(batches) == 1:
        return first
    frame = np.concatenate([batch.frame for batch in batches])
    index = np.concatenate([batch.index for batch in batches])
    order = np.lexsort((*reversed(index.T), frame))
    columns = {key: join_columns([batch.columns[key] for batch in batches]).take(order) for key in first.columns}
    axis = None if first.axis is None else np.concatenate([b.axis for b in batches if b.axis is not None])[order]
    return replace(first, frame=frame[order], index=index[order], columns=columns, axis=axis)


def bit_owners(plan: Plan, matrix: NDArray[np.uint8], sizes: NDArray[np.integer]) -> NDArray[np.int16]:
    """Return the number of the field that owns each bit of each frame, -1 for none; int16 (n, w * 8).

    Fields are numbered as :meth:`Layout.all_fields` of the plan's layout lists them; reserved bits have the number
    behind the last field.
    """
    layout = plan.layout
    fields = list(layout.all_fields())
    numbers = {one.id: number for number, one in enumerate(fields)}
    owners = np.full((len(matrix), matrix.shape[1] * 8), -1, np.int16)
    scope = Scope(len(matrix))
    scope.add_special("size", np.asarray(sizes))
    scope.add_special("address", np.zeros(len(matrix)))
    here = whole_frames(matrix, sizes, scope)
    reader = PartReader(plan, np.zeros(len(matrix), np.bool_), owners=owners, numbers=numbers)
    columns = decode_fields(plan.fixed, matrix, np.asarray(sizes), scope)
    reader.own_places(layout.fields, columns, here)
    reader.parts(layout.parts, here, np.full(len(matrix), layout.size, np.int64))
    for bit in layout.reserved_bits():
        if bit < owners.shape[1]:
            owners[sizes > bit // 8, bit] = len(fields)
    return owners


def whole_frames(matrix: NDArray[np.uint8], sizes: NDArray[np.integer], scope: Scope) -> Stretches:
    """Return the payloads themselves as stretches."""
    rows = np.arange(len(matrix), dtype=np.int64)
    zeros = np.zeros(len(matrix), np.int64)
    index = np.empty((len(rows), 0), np.int64)
    return Stretches(np.ascontiguousarray(matrix), rows, zeros, sizes.astype(np.int64), rows, index, scope, True)
