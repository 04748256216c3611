"""Decoding: the frames of a kind to columns of raw, value, label and validity."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..layouts.checks.check import Check
from ..layouts.model import Layout
from .checks import run_checks
from .columns import ArrayColumns, CheckColumn, CheckState, Decoded, FieldColumn, Validity
from .computed import compute
from .fixed import decode_fields
from .moving import PartReader, whole_frames
from .plan import Plan
from .scope import Scope


def decode(
    plan: Plan,
    matrix: NDArray[np.uint8],
    sizes: NDArray[np.uint32],
    only: Iterable[UUID] | None = None,
    *,
    address: int | NDArray[np.int64] = 0,
    untrue: NDArray[np.bool_] | None = None,
) -> Decoded:
    """Decode a kind matrix.

    Parameters
    ----------
    matrix : uint8 (n, w)
        Payloads, zero-padded to a whole number of 8-byte words; may be narrower or wider than the layout.
    sizes : uint32 (n,)
        Recorded payload bytes of each row.
    only
        Ids of the fields, arrays and computed values wanted; all by default. What they depend on is decoded as
        needed, and of the checks those are made that can make a value invalid.
    address : int or int64 (n,)
        Address of the frames, for checks and expressions that ask for it.
    untrue : bool (n,)
        Frames that broke a check of the link that carried them: no value in them is good.
    """
    layout = plan.layout
    wanted = None if only is None else set(only)
    scope = Scope(len(matrix))
    scope.add_special("size", sizes)
    scope.add_special("address", np.broadcast_to(np.asarray(address, np.int64), (len(matrix),)))
    asked = layout.checks if wanted is None else tuple(check for check in layout.checks if check.spoils)
    needed = _needed(layout, asked, wanted)
    columns = decode_fields(plan.fixed, matrix, sizes, scope, needed)
    arrays: dict[UUID, ArrayColumns] = {}
    checks: dict[UUID, CheckColumn] = {}
    cut = None
    if layout.parts:
        here = whole_frames(matrix, sizes, scope)
        reader = PartReader(plan, sizes < layout.size)
        more, _ = reader.parts(layout.parts, here, np.full(len(matrix), layout.size, np.int64))
        columns |= more
        arrays, checks, cut = reader.joined(), reader.checks, reader.was_cut
    columns |= compute((one for one in layout.computed if needed is None or one.id in needed), scope)
    own = run_checks(asked, matrix, sizes, scope, layout.fields)
    checks |= own
    for column in own.values():
        if column.check.spoils:
            _overrule(columns, arrays, column.state == CheckState.DISAGREES, Validity.CHECK_FAILED)
    if untrue is not None:
        _overrule(columns, arrays, untrue, Validity.CHECK_FAILED)
    if layout.applies.looks_at_payload:
        others = ~layout.applies.accepts(matrix, sizes)
        _overrule(columns, arrays, others, Validity.OTHER_SHAPE)
        for column in checks.values():
            column.state[others] = CheckState.NOT_THERE
    if wanted is not None:
        columns = {key: column for key, column in columns.items() if key in wanted}
        arrays = {key: array for key, array in arrays.items() if key in wanted or wanted & set(array.columns)}
    return Decoded(columns, arrays, checks, cut)


def _needed(layout: Layout, checks: Iterable[Check], wanted: set[UUID] | None) -> set[UUID] | None:
    """Return the fixed fields that wanted values and checks take; None is all, as where parts may name any."""
    if wanted is None or layout.parts:
        return None
    expressions = [one for check in checks for one in check.expressions()]
    computed = {value.name: value for value in layout.computed}
    names: set[str] = {name for value in layout.computed if value.id in wanted for name in value.names_used}
    for expression in expressions:
        names |= set(expression.names)
    if names & set(computed):
        # computed from computed: rare, and not worth a second order of evaluation
        return None
    return (
        wanted
        | {one for check in checks for one in check.fields()}
        | {field.id for field in layout.fields if field.name in names}
    )


def _overrule(
    columns: dict[UUID, FieldColumn], arrays: dict[UUID, ArrayColumns], frames: NDArray[np.bool_], state: Validity
) -> None:
    """Give every value of some frames, bool (n,), another validity; what is not there stays so."""
    if not frames.any():
        return
    for column in columns.values():
        column.overrule(frames, state)
    for array in arrays.values():
        for column in array.columns.values():
            column.overrule(frames[array.frame], state)
