"""Plans of a message, compiled once for all of its payloads, and payloads as they take them."""

from __future__ import annotations

from functools import lru_cache

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..codec.plan import Plan, compile_layout
from ..layouts.model import Group, Layout, Part
from .carried_message import CarriedMessage

_KEPT = 4
"""Messages whose plans are kept: payloads are asked for message by message."""


@lru_cache(maxsize=_KEPT)
def plan_of(message: CarriedMessage) -> Plan:
    """Return the plan of a message."""
    return compile_layout(message.layout)


@lru_cache(maxsize=_KEPT)
def plain_plan_of(message: CarriedMessage) -> Plan:
    """Return the plan of what its fields say, whatever checks and shape do: these overrule values."""
    return compile_layout(_without_checks(message.layout))


def as_matrix(payload: bytes, least: int = 1) -> tuple[NDArray[np.uint8], NDArray[np.uint32]]:
    """Return a payload as decoding takes it: a matrix of one row of whole words, ``least`` bytes wide, and its size."""
    width = -(-max(len(payload), least) // 8) * 8
    return np.frombuffer(payload.ljust(width, b"\0"), np.uint8).reshape(1, -1), np.array([len(payload)], np.uint32)


def _without_checks(layout: Layout) -> Layout:
    anything = msgspec.structs.replace(layout.applies, sizes=type(layout.applies.sizes)(), pattern="")
    # limits of computed values are no matter of the number itself
    computed = tuple(msgspec.structs.replace(one, low=None, high=None) for one in layout.computed)
    return msgspec.structs.replace(
        layout, checks=(), computed=computed, applies=anything, parts=_parts_without(layout.parts)
    )


def _parts_without(parts: tuple[Part, ...]) -> tuple[Part, ...]:
    inner = [part.with_parts_inside(_parts_without) for part in parts]
    return tuple(msgspec.structs.replace(one, checks=()) if isinstance(one, Group) else one for one in inner)
