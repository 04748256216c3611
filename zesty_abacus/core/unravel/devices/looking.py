"""What is said of registers that the same exchanges carry."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from ...protocols.registry import protocol_named
from ...reading.meaning import Meaning
from ..finding import Said
from ..judge import judged
from ..known import Known, known_of_kind
from ..seen import Seen
from .composites import with_composites
from .scales import with_scales
from .sharing import MOST_CHECKED, Carrier, Shared, seen_of
from .still_floats import still_floats
from .swapped_texts import swapped_texts
from .whole_registers import in_whole_registers

_LEAST_FRAMES = 4


def said_of(meaning: Meaning, shared: Shared, most: int, *, with_known: bool) -> list[Said]:
    """Return what is said of registers, with bits in the payload of their host.

    Parameters
    ----------
    most
        Frames that are looked at.
    with_known
        Also what layouts explain.
    """
    seen = seen_of(meaning, shared, most)
    if len(seen) < _LEAST_FRAMES:
        return []
    known = _known(meaning, shared, with_known=with_known)
    found = _of_words(seen, known, shared) if shared.has_words else _judged(seen, known)
    words = _carried_words(meaning, shared)
    return [replace(one, reason=f"{one.reason}{words}") for one in found] if words else found


def _judged(seen: Seen, known: Known) -> list[Said]:
    return judged(seen, known, with_checks=seen.size <= MOST_CHECKED)


def _of_words(seen: Seen, known: Known, shared: Shared) -> list[Said]:
    """Return what is said of registers of sixteen bits, whose numbers fill them and belong to others beside them."""
    turned = list(swapped_texts(seen, ~known.taken))
    known = known.with_bits(bit for one in turned for bit in one.bits)
    found = in_whole_registers(seen, _judged(seen, known), ~known.taken)
    found = with_scales(seen, with_composites(seen, found), shared.own)
    return [*turned, *found, *still_floats(seen, found, shared.own)]


def _known(meaning: Meaning, shared: Shared, *, with_known: bool) -> Known:
    """Return what is not asked: what layouts explain, and the registers that are looked at elsewhere."""
    known = Known(np.zeros(shared.host.size * 8, np.bool_))
    if not with_known:
        known = known_of_kind(meaning, shared.host.kind, shared.host.size)
        known = known.with_bits(bit for one in shared.carriers for bit in _known_of(meaning, shared, one))
    return known.with_bits(np.flatnonzero(shared.others()).tolist())


def _known_of(meaning: Meaning, shared: Shared, one: Carrier) -> Iterator[int]:
    """Yield the bits of the host's payload that a layout explains in another exchange: the registers are the same."""
    taken = known_of_kind(meaning, one.kind, one.size).taken
    for byte in shared.bytes.tolist():
        for bit in range(8):
            if taken[(byte - one.first) * 8 + bit]:
                yield (byte - shared.host.first) * 8 + bit


def _carried_words(meaning: Meaning, shared: Shared) -> str:
    """Return which exchanges carried registers, as a sentence behind a reason; empty where one did."""
    capture = meaning.capture
    kinds = sorted({one.kind for one in shared.carriers})
    if len(kinds) < 2:
        return ""
    keys = [capture.kinds.keys[kind] for kind in kinds]
    names = [protocol_named(capture.lanes[key.lane].protocol).kind_text(key) for key in keys]
    return f" These registers come in {len(kinds)} exchanges: {', '.join(names)}."
