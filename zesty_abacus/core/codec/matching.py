"""Which layout reads which kind, and how many of the bits that move it explains."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple
from uuid import UUID

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..frames.activity import KindActivity
from ..frames.capture import Capture, Lane
from ..frames.flags import ANSWER, READ
from ..frames.kinds import KindKey
from ..layouts.model import Layout, RegisterMap, Space
from ..layouts.windows import window_of


class Tie(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A layout tied to a lane, or to one kind of message of it, by hand; goes before everything else.

    ``address`` and ``flags`` of a kind, or None for every kind of the lane that speaks the layout's protocol.
    """

    layout: UUID
    lane: str
    address: int | None = None
    flags: int | None = None

    def holds(self, lane: str, key: KindKey) -> bool:
        """Return whether the tie is about a kind."""
        return self.lane == lane and (self.address is None or (self.address, self.flags) == (key.address, key.flags))


@dataclass(frozen=True, slots=True)
class Match:
    """A layout that reads a kind.

    Attributes
    ----------
    layout
        As the kind shows it; of a register map, the window that the exchange carries.
    reason
        Why this one, and which others stand back, in a sentence.
    others
        Layouts that would read the kind, too, in order of precedence.
    """

    layout: Layout
    reason: str
    others: tuple[Layout, ...] = ()


def find_match(capture: Capture, key: KindKey, layouts: Iterable[Layout], ties: Sequence[Tie] = ()) -> Match | None:
    """Return the layout that reads a kind.

    Precedence: tied by hand; one that names the lane; one for a single address before a span, a mask or any; one
    that says which way before one that does not; then by name.
    """
    if not key.is_data:
        return None
    lane = capture.lanes[key.lane]
    tied = {tie.layout: tie for tie in ties if tie.holds(lane.name, key)}
    ranked = sorted(
        (_rank(layout, tied), layout.name, str(layout.id), layout)
        for layout in layouts
        if layout.id in tied or _reads(layout, lane, key)
    )
    if not ranked:
        return None
    best, others = ranked[0], [entry[3] for entry in ranked[1:]]
    reason = _RANK_WORDS[next(n for n, worse in enumerate((*best[0], 0)) if not worse)]
    if others:
        reason += f"; {', '.join(layout.name for layout in others)} would read it, too"
    return Match(_as_shown(best[3], capture, key), reason, tuple(others))


_RANK_WORDS = ("tied by hand", "names this lane", "names this address", "names this way", "speaks the protocol")


def _rank(layout: Layout, tied: Mapping[UUID, Tie]) -> tuple[bool, bool, bool, bool]:
    applies, registers = layout.applies, layout.registers
    single = applies.address is not None and applies.to is None and applies.mask is None
    named = registers is not None and registers.device is not None
    return layout.id not in tied, not applies.lanes, not (single or named), not applies.way


def _reads(layout: Layout, lane: Lane, key: KindKey) -> bool:
    applies = layout.applies
    if layout.registers is not None:
        span = exchange_of(lane.protocol, key)
        on_lane = applies.protocol == lane.protocol and (not applies.lanes or lane.name in applies.lanes)
        return on_lane and span is not None and _in_map(layout.registers, span)
    return applies.matches(lane.name, lane.protocol, key.address, key.extended) and _goes(applies.way, key.flags)


def _goes(way: str, flags: int) -> bool:
    return {
        "": True, "read": bool(flags & READ), "write": not flags & READ, "answer": bool(flags & ANSWER),
        "request": not flags & ANSWER,
    }[way]  # fmt: skip


class Exchange(NamedTuple):
    """Which registers a kind of message carries."""

    device: int
    space: Space
    first: int


def exchange_of(protocol: str, key: KindKey) -> Exchange | None:
    """Return what a kind carries, None if it carries no registers (a request that only asks)."""
    if protocol == "registers":
        return Exchange(key.address >> 16, Space.BYTES, key.address & 0xFFFF)
    if protocol != "modbus":
        return None
    device, function, first = key.address >> 24 & 0xFF, key.address >> 16 & 0xFF, key.address & 0xFFFF
    carries = bool(key.flags & ANSWER) == (function <= 4)
    space = next((space for space in Space if function in space.functions), None)
    return Exchange(device, space, first) if carries and space is not None else None


def _in_map(registers: RegisterMap, exchange: Exchange) -> bool:
    return (
        registers.space is exchange.space
        and registers.device in (None, exchange.device)
        and (not registers.count or exchange.first < registers.count)
    )


def _as_shown(layout: Layout, capture: Capture, key: KindKey) -> Layout:
    if layout.registers is None:
        return layout
    exchange = exchange_of(capture.lanes[key.lane].protocol, key)
    kind = capture.kinds.find(key)
    if exchange is None or kind is None:
        return layout
    return window_of(layout, exchange.first, capture.kind_size(kind))


def match_kind(capture: Capture, key: KindKey, layouts: Iterable[Layout], ties: Sequence[Tie] = ()) -> Layout | None:
    """Return the layout that reads a kind, as :func:`find_match` says."""
    found = find_match(capture, key, layouts, ties)
    return found.layout if found is not None else None


def match_kinds(capture: Capture, layouts: Sequence[Layout], ties: Sequence[Tie] = ()) -> list[Layout | None]:
    """Return the layout of each kind, in the order of the kind index."""
    return [match_kind(capture, key, layouts, ties) for key in capture.kinds.keys]


@dataclass(frozen=True, slots=True)
class Explained:
    """How many of the bits that move are explained.

    Attributes
    ----------
    moving
        Bits that ever change.
    explained
        Those of them that belong to a field.
    """

    moving: int
    explained: int

    def __add__(self, other: Explained) -> Explained:
        return Explained(self.moving + other.moving, self.explained + other.explained)

    @property
    def share(self) -> float | None:
        """Explained share in 0..1, None when nothing moves."""
        return self.explained / self.moving if self.moving else None


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


def explained_bits(activity: KindActivity, layout: Layout | None) -> Explained:
    """Count moving and explained bits of one kind."""
    moves = activity.moves
    owned = owned_bits(layout, activity.size) >= 0
    for bit in layout.reserved_bits() if layout is not None else ():
        if bit < len(owned):
            owned[bit] = True
    return Explained(int(moves.sum()), int((moves & owned).sum()))
