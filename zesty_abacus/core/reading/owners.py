"""Which field each bit of a kind belongs to, as the window shows it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..codec.moving import bit_owners
from ..codec.plan import compile_layout
from ..errors import MisuseError
from ..layouts.model import Layout
from .meaning import Meaning


def owned_bits(layout: Layout | None, size: int) -> NDArray[np.int16]:
    """Return the number of the fixed field that owns each bit, -1 for none; int16 (size * 8,).

    Where fields share a bit under different selectors, the first one is named.
    """
    owners = np.full(size * 8, -1, np.int16)
    if layout is not None:
        for bit, numbers in layout.owners().items():
            if bit < len(owners):
                owners[bit] = numbers[0]
    return owners


def owners_in_frame(layout: Layout, payload: bytes) -> NDArray[np.int16]:
    """Return which field owns each bit of one frame, -1 for none; int16 (size * 8,).

    Fields are numbered as :meth:`Layout.all_fields` lists them. Of a layout that cannot be read nobody owns any.
    """
    if not layout.moves:
        return owned_bits(layout, len(payload))
    matrix = np.frombuffer(payload.ljust(-(-len(payload) // 8) * 8, b"\0"), np.uint8)[None, :]
    try:
        owners = bit_owners(compile_layout(layout), matrix, np.array([len(payload)], np.uint32))
    except MisuseError:
        return np.full(len(payload) * 8, -1, np.int16)
    return owners[0, : len(payload) * 8]


def owners_of_kind(meaning: Meaning, kind: int, sampled: int = 64) -> NDArray[np.int16]:
    """Return which field of its first layout owns each bit of a kind; int16 (size * 8,).

    Of a layout that moves, the field that most of some sampled frames agree on; a bit counts as owned if it is owned
    in every sampled frame that has it.
    """
    capture = meaning.capture
    size = capture.kind_size(kind)
    readers = meaning.kinds[kind].readers
    if not readers:
        return np.full(size * 8, -1, np.int16)
    if not readers[0].shown.moves:
        return owned_bits(readers[0].shown, size)
    rows = capture.kinds.rows(kind)
    frames = capture.frames.gather(rows[np.linspace(0, len(rows) - 1, min(len(rows), sampled)).astype(np.int64)])
    frames = frames.take(np.flatnonzero(meaning.numbers(kind, frames) == 0))
    try:
        plan = meaning.plan(readers[0])
    except MisuseError:
        return np.full(size * 8, -1, np.int16)
    owners = bit_owners(plan, frames.matrix, frames.sizes)[:, : size * 8]
    there = np.repeat(np.arange(size)[None, :] < frames.sizes[:, None], 8, axis=1)[:, : owners.shape[1]]
    made = np.full(size * 8, -1, np.int16)
    whole = ((owners >= 0) | ~there).all(axis=0) & there.any(axis=0)
    for bit in np.flatnonzero(whole):
        own = owners[there[:, bit], bit]
        made[bit] = np.bincount(own).argmax()
    return made
