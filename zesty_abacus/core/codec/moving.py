"""Decodes what moves, in batches of the same shape.

A stretch is a part of a payload: its row of the matrix, its first byte and its end. All stretches that have
the same layout are decoded together: their bytes are gathered to a matrix, and the kernel for fixed fields
does the rest. Only arrays whose items have no fixed size go item number by item number.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..expressions.columns import evaluate
from ..expressions.expression import Expression
from ..layouts.model import Axis, Elements, Field, FieldKind, Group, Part, Repeat, Run, TextLine
from .columns import ArrayColumns, FieldColumn, Validity, join_columns
from .fixed import along_curve, decode_fields, judge, selector_holds
from .part_kernels import (
    HeadSteps,
    find_end,
    gather_stretches,
    head_steps,
    items_of,
    parse_numbers,
    split_text,
    walk_elements,
)
from .plan import Plan, compile_places, value_dtype
from .scope import Scope

MAX_ITEMS = 1 << 26
"""Items of one array over all frames; what goes beyond is left out and said to be cut."""
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
class Found:
    """What parts gave, besides what is there once.

    Attributes
    ----------
    arrays
        Batches by id, in the order they were decoded.
    cut : bool (frames,)
        Frames that end before their layout does.
    owners : int16 (frames, w * 8), None if not asked for
        The number of the field that each bit belongs to, -1 for none.
    numbers
        Number of each field by id, if owners are asked for.
    """

    cut: NDArray[np.bool_]
    arrays: dict[UUID, list[ArrayColumns]] = field(default_factory=dict)
    owners: NDArray[np.int16] | None = None
    numbers: dict[UUID, int] = field(default_factory=dict)

    def own_places(self, fields: Sequence[Field], columns: Columns, here: Stretches) -> None:
        """Note the bits of fields with places, where they are present."""
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


def decode_parts(
    parts: Sequence[Part], plan: Plan, here: Stretches, cursor: NDArray[np.int64], found: Found
) -> tuple[Columns, NDArray[np.int64]]:
    """Decode parts one behind the other.

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
        made, after = _DECODERS[type(part)](part, plan, inner, found)
        spread = {key: column.spread(owner, len(here)) for key, column in made.items()}
        here.scope.add(spread)
        columns |= spread
        if len(owner) == len(here):
            cursor = after
        else:
            cursor = cursor.copy()
            cursor[owner] = after
    return columns, cursor


def _begin_of(part: Part, here: Stretches, cursor: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
    begin = cursor
    if part.start is not None:
        offset = evaluate(part.start, here.scope).whole(-1)
        begin = np.where(offset < 0, here.limit + 1, here.start + np.minimum(offset, 1 << 40))
    if part.align > 1:
        begin = here.start + (begin - here.start + part.align - 1) // part.align * part.align
    if part.selected is None:
        return begin, np.ones(len(here), np.bool_)
    return begin, selector_holds(part.selected, here.scope)


# groups


def _decode_group(part: Group, plan: Plan, here: Stretches, found: Found) -> tuple[Columns, NDArray[np.int64]]:
    if part.repeat is Repeat.ONCE:
        if part.limit is not None:
            here = replace(here, limit=np.minimum(here.limit, here.start + _amount(part.limit, here)))
            columns, _ = _decode_item(part, plan, here, found)
            return columns, here.limit
        return _decode_item(part, plan, here, found)
    if part.parts:
        return {}, _decode_moving_items(part, plan, here, found)
    count, after = _count_items(part, here, found)
    owner, number = items_of(count)
    items = here.pick(owner, here.start[owner] + number * part.size, None, number)
    columns, _ = _decode_item(part, plan, items, found)
    _keep(found, part.id, part.name, items, columns, part.axis)
    return {}, after


def _decode_item(part: Group, plan: Plan, here: Stretches, found: Found) -> tuple[Columns, NDArray[np.int64]]:
    stretches, sizes = gather_stretches(here.matrix, here.row, here.start, here.limit, part.size)
    columns = decode_fields(plan.groups[part.id], stretches, sizes, here.scope)
    found.own_places(part.fields, columns, here)
    short = sizes < part.size
    if short.any():
        found.cut[here.frame[short]] = True
    more, after = decode_parts(part.parts, plan, here, here.start + part.size, found)
    return columns | more, after


def _count_items(part: Group, here: Stretches, found: Found) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return how many items each stretch has, an incomplete last one included, and where they end."""
    room = np.maximum(np.minimum(here.limit, here.matrix.shape[1]) - here.start, 0)
    amount = _amount(part.amount, here)
    if part.repeat is Repeat.TO_END:
        return (kept := np.maximum(room - amount, 0) // part.size), here.start + kept * part.size
    wanted = amount if part.repeat is Repeat.COUNT else amount // part.size
    fitting = -(-room // part.size)
    count = np.minimum(wanted, fitting)
    if int(count.sum()) > MAX_ITEMS:
        count = np.where(np.cumsum(count) > MAX_ITEMS, 0, count)
    found.cut[here.frame[count < wanted]] = True
    return count, here.start + (amount if part.repeat is Repeat.BYTES else wanted * part.size)


def _amount(expression: Expression | None, here: Stretches) -> NDArray[np.int64]:
    if expression is None:
        return np.zeros(len(here), np.int64)
    return np.clip(evaluate(expression, here.scope).whole(0), 0, 1 << 32)


def _decode_moving_items(part: Group, plan: Plan, here: Stretches, found: Found) -> NDArray[np.int64]:
    """Decode items that differ in size: the first of all stretches, the second of all, and so on."""
    amount = _amount(part.amount, here)
    limit = np.minimum(here.limit, here.matrix.shape[1])
    if part.repeat is Repeat.BYTES:
        limit = np.minimum(limit, here.start + amount)
    elif part.repeat is Repeat.TO_END:
        limit = limit - amount
    cursor = here.start.copy()
    read = np.zeros(len(here), np.int64)
    number = 0
    while True:
        going = cursor < limit
        if part.repeat is Repeat.COUNT:
            going &= number < amount
        owner = np.flatnonzero(going)
        if not len(owner) and number:
            break
        items = here.pick(owner, cursor[owner], limit[owner], np.full(len(owner), number))
        columns, after = _decode_item(part, plan, items, found)
        _keep(found, part.id, part.name, items, columns, part.axis)
        # an item that takes no byte would be read for ever
        cursor[owner] = np.where(after > cursor[owner], after, limit[owner])
        read[owner] += 1
        number += 1
    if part.repeat is Repeat.COUNT:
        found.cut[here.frame[read < amount]] = True
    return cursor


def _keep(found: Found, key: UUID, name: str, items: Stretches, columns: Columns, axis: Axis | None = None, *,
          lists: bool = False) -> None:  # fmt: skip
    stands = None
    if axis is not None:
        start, step = evaluate(axis.start, items.scope), evaluate(axis.step, items.scope)
        stands = start.values.astype(np.float64) + items.index[:, -1] * step.values.astype(np.float64)
        stands[~(start.known_rows() & step.known_rows())] = np.nan
    words = (axis.name, axis.unit) if axis is not None else ("", "")
    batch = ArrayColumns(key, name, items.frame, items.index, columns, stands, *words, lists=lists)
    found.arrays.setdefault(key, []).append(batch)


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


# strings


def _decode_run(part: Run, _plan: Plan, here: Stretches, found: Found) -> tuple[Columns, NDArray[np.int64]]:
    limit = np.minimum(here.limit, here.matrix.shape[1])
    end, after = limit, limit
    complete = here.start <= limit
    if part.length is not None:
        length = evaluate(part.length, here.scope)
        wanted = here.start + np.clip(length.whole(0), 0, 1 << 32)
        end = after = np.minimum(wanted, limit)
        complete &= (wanted <= limit) & length.known_rows()
    elif part.end:
        mark = np.frombuffer(bytes.fromhex(part.end), np.uint8)
        place = find_end(here.matrix, here.row, here.start, limit, mark)
        end = np.where(place < 0, limit, place)
        after = np.where(place < 0, limit, place + len(mark))
        complete &= place >= 0
    width = int(np.maximum(end - here.start, 0).max(initial=0))
    content, sizes = gather_stretches(here.matrix, here.row, here.start, end, width)
    validity = np.where(complete, Validity.GOOD, Validity.TOO_SHORT).astype(np.uint8)
    found.cut[here.frame[~complete]] = True
    column = FieldColumn(part.field, None, None, content[:, : max(width, 1)], validity, sizes)
    found.own_bytes(part.field, here, here.start, after)
    return {part.field.id: column}, np.maximum(after, here.start)


# lists of type, length and value


def _decode_elements(part: Elements, plan: Plan, here: Stretches, found: Found) -> tuple[Columns, NDArray[np.int64]]:
    limit = here.limit
    if part.amount is not None:
        limit = np.minimum(limit, here.start + _amount(part.amount, here))
    spans = part.ends.spans
    walked = walk_elements(
        np.ascontiguousarray(here.matrix), here.row, here.start, limit, (part.head, part.length_unit, part.extra),
        (_head_steps(part.type), _head_steps(part.length)),
        (np.array([low for low, _ in spans], np.int64), np.array([high for _, high in spans], np.int64)),
    )  # fmt: skip
    owner, number, begin, size, types, lengths, after, cut = walked
    found.cut[here.frame[cut]] = True
    items = here.pick(owner, begin, begin + size, number)
    whole = replace(items, start=begin - part.head)
    heads = {
        one.id: FieldColumn(one, raw, raw, None, _judged(one, raw))
        for one, raw in ((part.type, types), (part.length, lengths))
    }
    items.scope.add(heads)
    found.own_places((part.type, part.length), heads, whole)
    _keep(found, part.id, part.name, items, heads, lists=True)
    for case in part.cases:
        rows = np.flatnonzero(case.types.holds(types))
        inner = replace(items.pick(rows, begin[rows]), limit=(begin + size)[rows])
        plan_of = plan.groups[case.id]
        reach = max((one.places.size_needed for one in plan_of.fields), default=0)
        stretches, sizes = gather_stretches(here.matrix, inner.row, inner.start, inner.limit, reach)
        columns = decode_fields(plan_of, stretches, sizes, inner.scope)
        found.own_places(case.fields, columns, inner)
        fixed = np.minimum(inner.start + reach, inner.limit)
        more, _ = decode_parts(case.parts, plan, inner, fixed, found)
        _keep(found, case.id, case.name, inner, columns | more)
    return {}, after


def _head_steps(one: Field) -> HeadSteps:
    return head_steps(compile_places(one.places), one.places.size_needed)


def _judged(one: Field, raw: NDArray[np.uint64]) -> NDArray[np.uint8]:
    validity = np.zeros(len(raw), np.uint8)
    judge(one, raw, raw, validity)
    return validity


# text


def _decode_line(part: TextLine, _plan: Plan, here: Stretches, found: Found) -> tuple[Columns, NDArray[np.int64]]:
    matrix = np.ascontiguousarray(here.matrix)
    first, last = here.start, np.minimum(here.limit, matrix.shape[1])
    for mark, at_end in ((part.begins, False), (part.ends, True)):
        if not mark:
            continue
        code = np.frombuffer(mark.encode("latin-1"), np.uint8)
        place = find_end(matrix, here.row, first, last, code)
        if at_end:
            last = np.where(place < 0, last, place)
        else:
            first = np.where(place < 0, last + 1, place + len(code))
    quote = ord(part.quote) if part.quote else 0
    begin, end, count = split_text(matrix, here.row, first, last, (ord(part.separator), quote), len(part.columns))
    found.cut[here.frame[count < len(part.columns)]] = True
    columns = {}
    after = np.where(last < here.limit, last + len(part.ends), last)
    found.own_structure(here, here.start, np.where(count < len(part.columns), here.start, after))
    for number, one in enumerate(part.columns):
        if one.name:
            columns[one.id] = _text_column(one, matrix, here.row, begin[number], end[number])
        found.own_bytes(one, here, begin[number], end[number])
    return columns, after


def _text_column(
    one: Field, matrix: NDArray[np.uint8], row: NDArray[np.int64], begin: NDArray[np.int64], end: NDArray[np.int64]
) -> FieldColumn:
    validity = np.zeros(len(row), np.uint8)
    validity[begin == end] = Validity.NOT_AVAILABLE
    validity[begin < 0] = Validity.TOO_SHORT
    if not one.raw_is_number:
        width = int((end - begin).max(initial=0))
        content, sizes = gather_stretches(matrix, row, np.where(begin < 0, 1 << 40, begin), end, width)
        return FieldColumn(one, None, None, content[:, : max(width, 1)], validity, sizes)
    if one.kind is FieldKind.NAMES or one.kind is FieldKind.FLAG:
        digits, plain, good = _letters_or_digits(one, matrix, row, begin, end)
    else:
        digits, plain, good = parse_numbers(matrix, row, begin, end, one.base)
    validity[~good & (validity == Validity.GOOD)] = Validity.NOT_READABLE
    value: NDArray = digits
    if value_dtype(one) == np.float64 or not np.array_equal(plain, digits):
        value = plain
        if (one.ratio, one.offset) != (1, 0):
            value = value * float(one.ratio) + float(one.offset)
        if one.is_curved:
            value = along_curve(one, value)
    judge(one, digits, value, validity)
    return FieldColumn(one, digits, value, None, validity)


def _letters_or_digits(
    one: Field, matrix: NDArray[np.uint8], row: NDArray[np.int64], begin: NDArray[np.int64], end: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.bool_]]:
    """Read named values: digits, or one letter that stands for its character code."""
    digits, plain, good = parse_numbers(matrix, row, begin, end, one.base)
    single = (end - begin == 1) & ~good
    codes = matrix[row, np.clip(begin, 0, matrix.shape[1] - 1)].astype(np.int64)
    return np.where(single, codes, digits), np.where(single, codes, plain), good | single


_DECODERS: dict[type, Callable[..., tuple[Columns, NDArray[np.int64]]]] = {
    Group: _decode_group, Run: _decode_run, Elements: _decode_elements, TextLine: _decode_line,
}  # fmt: skip


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
    found = Found(np.zeros(len(matrix), np.bool_), owners=owners, numbers=numbers)
    columns = decode_fields(plan.fixed, matrix, np.asarray(sizes), scope)
    found.own_places(layout.fields, columns, here)
    decode_parts(layout.parts, plan, here, np.full(len(matrix), layout.size, np.int64), found)
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
