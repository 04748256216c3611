"""Registers of devices: each is looked at once, in all exchanges that carried it.

Exchanges of one device may overlap: a slow one reads all registers, a quick one two of them. Registers that the same
exchanges carry are looked at together, in the frames of all of these, and what is found is said of the one that
comes most often. A number across a border is found where some exchange carried both of its sides.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import byte_bits
from ...progress import Progress
from ...protocols.registry import protocol_named
from ...protocols.spaces import Space
from ...reading.meaning import Meaning
from ..judge import judged
from ..known import Known
from ..seen import Seen

_LEAST_FRAMES = 4
MOST_CHECKED = 64
"""Payload bytes within which checks are looked for: blocks of more registers are polled on lines that check them."""
_BESIDE = 8
"""Bytes on either side of a border that a number across it may lie in: four registers."""


@dataclass(frozen=True, slots=True)
class Carrier:
    """Frames of one kind and size, all of which carry the same registers.

    Attributes
    ----------
    kind
    first
        The byte of the device's registers that its payload begins with.
    size
        Payload bytes.
    frames
        How many there are.
    has_words
        Whether registers have sixteen bits.
    """

    kind: int
    first: int
    size: int
    frames: int
    has_words: bool

    @property
    def end(self) -> int:
        """The byte of the device behind its last one."""
        return self.first + self.size


@dataclass(frozen=True, slots=True, eq=False)
class Shared:
    """Registers that the same exchanges carry.

    Attributes
    ----------
    host
        The exchange that comes most often; findings are said of its kind, with places in its payload.
    carriers
        All of them, the host among them.
    bytes : int64 (m,)
        Of the device, rising.
    has_words
        Whether registers have sixteen bits.
    """

    host: Carrier
    carriers: tuple[Carrier, ...]
    bytes: NDArray[np.int64]
    has_words: bool

    @property
    def own(self) -> NDArray[np.int64]:
        """The bytes in the payload of the host; int64 (m,)."""
        return self.bytes - self.host.first

    def others(self) -> NDArray[np.bool_]:
        """Return the bits of the host's payload that are of other registers; bool (size * 8,)."""
        made = np.ones(self.host.size * 8, np.bool_)
        made[list(byte_bits(self.own.tolist()))] = False
        return made


@dataclass(frozen=True, slots=True, eq=False)
class Devices:
    """Which exchanges are looked at together.

    Attributes
    ----------
    hosted
        By kind, the registers that are said of it; a kind of whose registers others say everything has none.
    together
        By kind, all kinds whose registers it shares some of, itself among them.
    """

    hosted: Mapping[int, tuple[Shared, ...]]
    together: Mapping[int, frozenset[int]]


def devices_of(meaning: Meaning, kinds: Iterable[int], most: int, progress: Progress) -> Devices:
    """Return which of some kinds carry registers that are looked at together with those of others, or as words.

    Parameters
    ----------
    most
        Frames of each that are looked at.
    """
    hosted: dict[int, tuple[Shared, ...]] = {}
    together: dict[int, frozenset[int]] = {}
    for carriers in _overlapping(_carriers(meaning, kinds)):
        progress.check()
        names = frozenset(one.kind for one in carriers)
        shared = _shared(meaning, carriers, most)
        for kind in names:
            hosted[kind] = tuple(one for one in shared if one.host.kind == kind)
            together[kind] = names
    return Devices(hosted, together)


def seen_of(meaning: Meaning, shared: Shared, most: int) -> Seen:
    """Return the frames of all exchanges that carry registers, as the host's payload has them; else it is zero."""
    frames = meaning.capture.frames
    rows = [_rows(meaning, one) for one in shared.carriers]
    times = np.concatenate([frames.times(own) for own in rows])
    number = np.repeat(np.arange(len(rows)), [len(own) for own in rows])
    row = np.concatenate(rows)
    order = np.argsort(times, kind="stable")
    chosen, follows = Seen.stretches_of(order, most)
    matrix = np.zeros((len(chosen), shared.host.size), np.uint8)
    for place, one in enumerate(shared.carriers):
        mine = np.flatnonzero(number[chosen] == place)
        if len(mine):
            matrix[np.ix_(mine, shared.own)] = frames.gather(row[chosen[mine]]).matrix[:, shared.bytes - one.first]
    return Seen(times[chosen], matrix, follows, len(row))


def _carriers(meaning: Meaning, kinds: Iterable[int]) -> Iterator[list[Carrier]]:
    """Yield what carries registers, a device, space and way after the other."""
    capture = meaning.capture
    found: dict[tuple[int, int, Space, int], list[Carrier]] = defaultdict(list)
    for kind in kinds:
        key = capture.kinds.keys[kind]
        exchange = protocol_named(capture.lanes[key.lane].protocol).exchange_of(key)
        # coils share bytes in another order with each first one
        if exchange is None or exchange.space.register_bits < 8:
            continue
        sizes, counts = np.unique(capture.frames.sizes(capture.order_of_kind(kind).rows()), return_counts=True)
        first = exchange.first * exchange.space.register_bits // 8
        # what is written need not be what is read in its place
        found[key.lane, exchange.device, exchange.space, key.flags] += [
            Carrier(kind, first, size, count, exchange.space.register_bits == 16)
            for size, count in zip(sizes.tolist(), counts.tolist(), strict=True)
            if size
        ]
    yield from found.values()


def _overlapping(devices: Iterable[Sequence[Carrier]]) -> Iterator[list[Carrier]]:
    """Yield those that reach into one another, however indirectly, and by themselves those that are long or words."""
    for carriers in devices:
        island: list[Carrier] = []
        for one in sorted(carriers, key=lambda carrier: (carrier.first, carrier.end, carrier.kind)):
            if one.first >= max((other.end for other in island), default=0):
                if _is_asked_for(island):
                    yield island
                island = []
            island.append(one)
        if _is_asked_for(island):
            yield island


def _is_asked_for(island: Sequence[Carrier]) -> bool:
    return len(island) > 1 or any(one.has_words or one.size > MOST_CHECKED for one in island)


def _shared(meaning: Meaning, carriers: Sequence[Carrier], most: int) -> list[Shared]:
    first, end = min(one.first for one in carriers), max(one.end for one in carriers)
    of_byte = [frozenset(one for one in carriers if one.first <= at < one.end) for at in range(first, end)]
    for border in range(1, len(of_byte)):
        left, right = of_byte[border - 1], of_byte[border]
        if left != right and left & right:
            for at in _across(meaning, left & right, first, border, of_byte, most):
                of_byte[at] = left & right
    groups: dict[frozenset[Carrier], list[int]] = defaultdict(list)
    for at, those in enumerate(of_byte):
        groups[those].append(first + at)
    return [_made(those, bytes_) for those, bytes_ in groups.items()]


def _made(carriers: Iterable[Carrier], bytes_: Sequence[int]) -> Shared:
    ordered = tuple(sorted(carriers, key=lambda one: (-one.frames, one.first, one.kind, one.size)))
    return Shared(ordered[0], ordered, np.array(bytes_, np.int64), ordered[0].has_words)


def _across(
    meaning: Meaning,
    both: frozenset[Carrier],
    first: int,
    border: int,
    of_byte: Sequence[frozenset[Carrier]],
    most: int,
) -> list[int]:
    """Return the places of a value that lies across a border, in exchanges that carry both sides; else none."""
    near = [at for at in range(border - _BESIDE, border + _BESIDE) if 0 <= at < len(of_byte) and both <= of_byte[at]]
    shared = _made(both, [first + at for at in near])
    if sum(one.frames for one in both) < _LEAST_FRAMES:
        return []
    seen = seen_of(meaning, shared, most)
    shift = first - shared.host.first
    if not all(seen.moves[(at + shift) * 8 : (at + shift) * 8 + 8].any() for at in (border - 1, border)):
        return []
    for one in judged(seen, Known(shared.others()), with_checks=False):
        places = {bit // 8 - shift for bit in one.bits}
        if one.kind in ("field", "text", "counter") and min(places) < border <= max(places):
            return sorted(places)
    return []


def _rows(meaning: Meaning, one: Carrier) -> NDArray[np.integer]:
    rows = meaning.capture.order_of_kind(one.kind).rows()
    return rows[meaning.capture.frames.sizes(rows) == one.size]
