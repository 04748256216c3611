"""Puts what the questions say of one kind together, so that no two say something else of the same bits.

What is exact goes first and takes its bits: counters and checks, then what selects pages, then what is left is divided
into values, page by page, and what never moves fills the gaps.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from ..words import counted
from .finding import Said, When
from .known import Known
from .questions.checks import checks
from .questions.complements import complements, copied
from .questions.constants import constants
from .questions.counters import counters
from .questions.digits import decimals, grays
from .questions.fields import fields
from .questions.floats import doubles, floats
from .questions.selectors import Paged, find_selector, under_selector
from .questions.senders import counters_per
from .questions.swapped import swapped
from .questions.texts import texts
from .seen import Seen
from .words import grouped

_LEAST_FRAMES = 4
_MOST_TURNED = 8
_DEEPEST = 2
"""Selectors within pages of selectors."""


def judged(seen: Seen, known: Known, varying: Sequence[Said] = (), *, with_checks: bool = True) -> list[Said]:
    """Return what all questions say of the frames of one kind, in order of place.

    Parameters
    ----------
    known
        What layouts explain already; it is not said again.
    varying
        What was seen in frames of all sizes: what says how long they are, a check at their end, items of one shape.
    with_checks
        Whether checks are looked for; in hundreds of bytes that takes minutes.
    """
    free = ~known.taken
    # of payloads of several lengths only the beginnings may be seen here
    found = [one for one in varying if free[[bit for bit in one.bits if bit < len(free)]].all()]
    for one in found:
        _take(free, tuple(bit for bit in (*one.bits, *one.takes) if bit < len(free)))
    # of two bytes that are always the same, or each other turned round, neither is worked out from the rest
    for one in checks(seen, free & ~copied(seen)) if with_checks else ():
        _take(free, one.bits)
        found.append(one)
    for one in complements(seen, free):
        _take(free, one.bits)
        found.append(one)
    found += _pages(seen, free, known, (), 0)
    return sorted(found, key=lambda one: (min(one.bits, default=-1), [when.values for when in one.when]))


def judged_page(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...]) -> list[Said]:
    """Return what is said of free bits, bool (size * 8,), in the frames of one page."""
    return _unknown_pages(seen, free.copy(), when, 1) if len(seen) >= _LEAST_FRAMES else []


def judged_on(
    seen: Seen, free: NDArray[np.bool_], under: NDArray[np.bool_], pages: Sequence[tuple[NDArray[np.bool_], When]]
) -> list[Said]:
    """Return what is said of free bits where the pages of some are given by others.

    Parameters
    ----------
    under : bool (size * 8,)
        Bits that mean something else from page to page.
    pages
        In which frames each is there, bool (n,), and how that is said.
    """
    under = _with_still_between(seen, free, under & free)
    found = _unknown_pages(seen, free & ~under, (), 0)
    for rows, when in pages:
        page = seen.where(rows)
        if len(page) >= _LEAST_FRAMES:
            found += _unknown_pages(page, under.copy(), (when,), 1)
    return found


def _take(free: NDArray[np.bool_], bits: tuple[int, ...]) -> None:
    free[list(bits)] = False


def _known_pages(
    seen: Seen, free: NDArray[np.bool_], known: Known, when: tuple[When, ...], depth: int
) -> tuple[list[Said], NDArray[np.bool_]]:
    """Return what is said of free bits under selectors that are known, and the bits that are free beside those."""
    found: list[Said] = []
    for pages in known.pages:
        bits = pages.selector.places.bits
        under = _with_still_between(seen, free, pages.under | under_selector(seen, free, bits))
        raw = seen.raw(bits)
        for value in np.unique(raw).tolist():
            page, here = seen.where(raw == value), pages.at(value)
            if len(page) >= _LEAST_FRAMES:
                own = under & (free | pages.under) & ~here.taken & ~known.owned
                found += _pages(page, own, here, (*when, When(str(pages.selector.places), str(value))), depth + 1)
        free = free & ~under
    return found, free


def _pages(seen: Seen, free: NDArray[np.bool_], known: Known | None, when: tuple[When, ...], depth: int) -> list[Said]:
    """Return what is said of free bits, page by page where something selects."""
    beside: list[Said] = []
    if known is not None:
        beside, free = _known_pages(seen, free, known, when, depth)
    return beside + _unknown_pages(seen, free, when, depth)


def _unknown_pages(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...], depth: int) -> list[Said]:
    found: list[Said] = []
    # the upper half of a double runs over as a number of swapped words does
    for question in (doubles, decimals, swapped, grays, floats):
        for one in question(seen, free, when):
            _take(free, one.bits)
            found.append(one)
    counting = counters(seen, free)
    for one in counters_per(seen, _without(free, counting)) if not when else ():
        _take(free, one.bits)
        found.append(one)
    # a page that is turned each time may count as well, up to a few
    on_and_on = [one for one in counting if one.parameters["wraps_at"] > _MOST_TURNED]
    left = _without(free, on_and_on)
    paged = find_selector(seen, left, free & ~left) if depth < _DEEPEST else None
    if paged is not None:
        selector, place = _selector(seen, paged, when), len(found)
        _take(free, paged.bits)
        raw = seen.raw(paged.bits)
        still = _still_on_pages(seen, raw)
        for one in counters(seen, free):
            # what counts across the pages lies beside them
            if not _is_part_of_still(seen, still, one.bits):
                _take(free, one.bits)
                found.append(_on(one, when))
        under = _with_still_between(seen, free, paged.under)
        own = free & under
        free = free & ~under
        pages = [
            _pages(seen.where(raw == value), own.copy(), None, (*when, When(selector.places, str(value))), depth + 1)
            for value in paged.values
        ]
        found.insert(place, _as_index(selector, pages))
        found += itertools.chain.from_iterable(pages)
    for one in texts(seen, free, when):
        _take(free, one.bits)
        found.append(one)
    for one in counters(seen, free):
        _take(free, one.bits)
        found.append(_on(one, when))
    for one in fields(seen, free, when):
        _take(free, one.bits)
        found.append(one)
    return found + constants(seen, free, when)


def _still_on_pages(seen: Seen, raw: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Return the bits that are the same whenever what selects is; bool (size * 8,)."""
    found = np.ones(seen.size * 8, np.bool_)
    for value in np.unique(raw).tolist():
        page = seen.matrix[raw == value]
        found &= np.unpackbits(np.bitwise_or.reduce(page ^ page[:1], axis=0), bitorder="little") == 0
    return found


def _is_part_of_still(seen: Seen, still: NDArray[np.bool_], bits: tuple[int, ...]) -> bool:
    """Return whether bits are the same on each page and so are others of their byte: a letter counts by accident."""
    byte = slice(bits[-1] // 8 * 8, bits[-1] // 8 * 8 + 8)
    return bool(still[list(bits)].all()) and int((still & seen.moves)[byte].sum()) > len(bits)


def _with_still_between(seen: Seen, free: NDArray[np.bool_], under: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return bits that are paged with those that never move among them: on each page they are a part of what is there.

    Never moving bits count as far as the next bit that moves and is not paged.
    """
    made = under.copy()
    paged_bytes = np.flatnonzero(under.reshape(-1, 8).any(axis=1))
    if not len(paged_bytes):
        return made
    still = free & ~seen.moves
    for byte in range(paged_bytes[0], len(under) // 8):
        inside = slice(byte * 8, byte * 8 + 8)
        if (free[inside] & seen.moves[inside] & ~under[inside]).any() and byte > paged_bytes[-1]:
            break
        made[inside] |= still[inside]
    return made


def _without(free: NDArray[np.bool_], some: Sequence[Said]) -> NDArray[np.bool_]:
    left = free.copy()
    for one in some:
        _take(left, one.bits)
    return left


def _on(one: Said, when: tuple[When, ...]) -> Said:
    return replace(one, when=when)


def _as_index(selector: Said, pages: Sequence[Sequence[Said]]) -> Said:
    """Return a selector; where all of its pages are alike, told as what says which of several alike is meant."""
    # by their lowest bits: how many of the upper ones ever move is another matter from page to page
    shapes = [{(one.kind, one.bits[-1]) for one in page if one.kind != "constant" and one.bits} for page in pages]
    if not shapes[0] or any(shape != shapes[0] for shape in shapes):
        return selector
    alike = f"the same {len(shapes[0])} readings are" if len(shapes[0]) > 1 else "the same reading is"
    told = f" Under each of its {len(pages)} values {alike} there: it says which one of several alike is meant."
    return replace(selector, reason=selector.reason + told)


def _selector(seen: Seen, paged: Paged, when: tuple[When, ...]) -> Said:
    seldom = f"only {counted(paged.within, 'time')}" if paged.within else "never"
    reason = (
        f"{counted(int(paged.under.sum()), 'other bit')} flip {grouped(paged.flips)} times from frame to frame, but "
        f"{seldom} between frames in which it is the same."
    )
    share = paged.within / max(paged.flips, 1)
    return Said(
        kind="selector", bits=paged.bits, parameters={"values": list(paged.values)}, frames=len(seen), when=when,
        confidence=float(np.clip(1.02 - share / 2, 0.5, 0.98)), reason=reason,
    )  # fmt: skip
