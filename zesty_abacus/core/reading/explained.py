"""How many of the bits that move are explained: claimed by a layout that fits, and proved by what can be checked.

A bit is claimed in a frame if the layout that reads the frame fits it, no check disagrees that makes its values
invalid, and the bit belongs to a field that says something. Frames that broke on the way are left out, and so are
those in which a bit belongs to nobody while it is still: a page of a multiplexed message asks nothing of what it does
not use. A bit is proved if, besides, it lies under a check that agrees, or its field is a counter that counts, has a
name for the value, has limits that the value keeps, or agrees with a reference; what nothing could have contradicted
proves nothing. Over the frames of a kind a bit counts for the share of them in which this is so.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from math import floor
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import CheckState, Decoded
from ..codec.kinds import UNTRUE, decode_frames
from ..codec.moving import bit_owners
from ..codec.plan import Plan
from ..errors import MisuseError
from ..frames.activity import KindActivity
from ..frames.capture import Capture
from ..frames.segment_frames import KindFrames
from ..layouts.model import Layout
from .meaning import Meaning
from .owners import owners_of_kind
from .proofs import Proofs, says_something
from .readers import KindMeaning, Reader

_ROUNDING = 1e-9
"""Sums of shares of frames miss a whole number by this much at most."""
_STRETCHES = 4
_STRETCH_FRAMES = 512
_SAMPLED_BITS = 1 << 22
"""A kind of long frames is sampled more thinly, so that its bits stay within this."""


@dataclass(frozen=True, slots=True)
class Explained:
    """How much of what moves is explained.

    Attributes
    ----------
    moving
        Bits that ever change.
    claimed, proved
        Those of them that are claimed, and proved; a bit that is in half of the frames counts half.
    """

    moving: int = 0
    claimed: float = 0.0
    proved: float = 0.0

    def __add__(self, other: Explained) -> Explained:
        return Explained(self.moving + other.moving, self.claimed + other.claimed, self.proved + other.proved)

    @property
    def share(self) -> float | None:
        """Claimed share in 0..1, None when nothing moves."""
        return self.claimed / self.moving if self.moving else None

    def share_text(self) -> str:
        """Return the claimed share in whole percent; 100% only when nothing is left, ``still`` when nothing moves."""
        return "still" if self.share is None else percent(self.share)

    def words(self) -> str:
        """Say how many of the moving bits are claimed, and how many proved."""
        return f"{whole(self.claimed)} of {self.moving} moving bits are claimed, {whole(self.proved)} are proved"

    @property
    def proved_share(self) -> float | None:
        """Proved share in 0..1, None when nothing moves."""
        return self.proved / self.moving if self.moving else None


def percent(share: float) -> str:
    """Return a share in whole percent, rounded down, so that 100% says that nothing is left."""
    return f"{floor(share * 100 + _ROUNDING)}%"


def whole(bits: float) -> int:
    """Return a number of bits that count in parts as whole bits, rounded down."""
    return floor(bits + _ROUNDING)


@dataclass(frozen=True, slots=True, eq=False)
class KindExplained:
    """What was counted of one kind.

    Attributes
    ----------
    meaning
        What the kind meant when it was counted.
    explained
    owners : int16 (size * 8,)
        Which field of its first layout owns each bit in most frames, as :func:`owned_bits` numbers them.
    borne_out
        Fields of it that a reference bears out.
    """

    meaning: KindMeaning
    explained: Explained
    owners: NDArray[np.int16]
    borne_out: frozenset[UUID] = frozenset()


def explain(
    meaning: Meaning,
    activities: Sequence[KindActivity],
    before: Sequence[KindExplained] = (),
    check: Callable[[], None] | None = None,
    borne_out: frozenset[UUID] = frozenset(),
) -> list[KindExplained]:
    """Count every kind; what was counted before is taken where the kind still means the same.

    Parameters
    ----------
    activities
        How the bits of each kind live, in the order of the kind index.
    check
        Is called between kinds, and may raise to give up.
    borne_out
        Fields that agree with a reference: what an instrument said could have contradicted them.
    """
    made = []
    for kind, activity in enumerate(activities):
        known = before[kind] if kind < len(before) else None
        own = borne_out & _field_ids(meaning.kinds[kind]) if borne_out else borne_out
        if known is not None and _holds_still(known, meaning.kinds[kind], activity, own):
            made.append(known)
            continue
        if check is not None:
            check()
        made.append(explain_kind(meaning, kind, activity, own))
    return made


def _field_ids(means: KindMeaning) -> frozenset[UUID]:
    return frozenset(field.id for reader in means.readers for field in reader.shown.all_fields())


def _holds_still(known: KindExplained, means: KindMeaning, activity: KindActivity, borne_out: frozenset[UUID]) -> bool:
    same = known.meaning is means and known.explained.moving == activity.moved
    return same and known.borne_out == borne_out


def explain_kind(
    meaning: Meaning, kind: int, activity: KindActivity, borne_out: frozenset[UUID] = frozenset()
) -> KindExplained:
    """Count one kind, on a sample of its frames that is the same every time."""
    moves = activity.moves
    moving = int(moves.sum())
    of_kind = meaning.kinds[kind]
    if not of_kind.readers:
        return KindExplained(of_kind, Explained(moving), np.full(activity.size * 8, -1, np.int16))
    tally = _Tally(activity.size * 8)
    for frames in _sampled(meaning.capture, kind):
        _count(meaning, kind, frames, tally, borne_out)
    claimed, proved = tally.shares()
    explained = Explained(moving, float(claimed[moves].sum()), float(proved[moves].sum()))
    return KindExplained(of_kind, explained, owners_of_kind(meaning, kind), borne_out)


def _sampled(capture: Capture, kind: int) -> Iterator[KindFrames]:
    """Yield stretches of successive frames, since counters are only seen to count from one frame to the next."""
    rows = capture.kinds.rows(kind)
    width = max(capture.kind_size(kind) * 8, 1)
    length = max(min(_STRETCH_FRAMES, _SAMPLED_BITS // width), 2)
    if len(rows) <= length * _STRETCHES:
        for first in range(0, len(rows), length):
            yield capture.frames.gather(rows[first : first + length])
        return
    for first in np.linspace(0, len(rows) - length, _STRETCHES).astype(np.int64):
        yield capture.frames.gather(rows[first : first + length])


class _Tally:
    """In how many frames each bit is claimed, proved, and asked for; float64 (bits,)."""

    def __init__(self, bits: int) -> None:
        self.bits = bits
        self._claimed = np.zeros(bits)
        self._proved = np.zeros(bits)
        self._there = np.zeros(bits)
        self._nobodys = np.zeros(bits)
        self._ones = np.zeros(bits, np.bool_)
        self._zeros = np.zeros(bits, np.bool_)

    def add_frames(self, frames: KindFrames) -> None:
        """Count the bits that are there."""
        self._there += (np.arange(self.bits) // 8 < frames.sizes[:, None]).sum(axis=0)

    def add(self, said: _Said, fits: NDArray[np.bool_], frames: KindFrames) -> None:
        """Count what a layout says of the frames that it fits."""
        self._claimed += said.claimed[fits].sum(axis=0)
        self._proved += said.proved[fits].sum(axis=0)
        matrix, sizes = frames.matrix[fits], frames.sizes[fits]
        nobodys = ~said.owned[fits] & (np.arange(self.bits) // 8 < sizes[:, None])
        ones = _as_wide(np.unpackbits(matrix, axis=1, bitorder="little").astype(np.bool_), self.bits)
        self._nobodys += nobodys.sum(axis=0)
        self._ones |= (nobodys & ones).any(axis=0)
        self._zeros |= (nobodys & ~ones).any(axis=0)

    def shares(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Return for each bit the share of the frames in which it is claimed, and proved."""
        is_still = ~(self._ones & self._zeros)
        asked = np.maximum(self._there - np.where(is_still, self._nobodys, 0), 1)
        return self._claimed / asked, self._proved / asked


def _count(meaning: Meaning, kind: int, frames: KindFrames, tally: _Tally, borne_out: frozenset[UUID]) -> None:
    whole = (meaning.capture.frames.flags(frames.rows) & UNTRUE) == 0
    frames = frames if whole.all() else frames.take(np.flatnonzero(whole))
    left = np.ones(len(frames), np.bool_)
    tally.add_frames(frames)
    for reader in _asked(meaning, kind):
        rows = np.flatnonzero(left)
        mine = rows[reader.choice.holds(frames.matrix[rows], frames.sizes[rows])]
        if not len(mine):
            continue
        own = frames.take(mine)
        try:
            said = _Said.of(meaning.capture, meaning.plan(reader), own, tally.bits, borne_out)
        except MisuseError:
            continue
        fits = said.fits if not reader.is_tied or said.is_telling else np.zeros(len(mine), np.bool_)
        tally.add(said, fits, own)
        left[mine[fits]] = False


def _asked(meaning: Meaning, kind: int) -> Iterator[Reader]:
    """Yield the readers; behind one that is tied by hand, those that would read the kind without the tie.

    A tie is a person's try: one that does not fit must not take away what the library explains.
    """
    readers = meaning.kinds[kind].readers
    yield from readers
    if any(reader.is_tied for reader in readers):
        yield from meaning.without_ties(kind).readers


@dataclass(frozen=True, slots=True, eq=False)
class _Said:
    """What one layout says of frames that it takes.

    Attributes
    ----------
    fits : bool (n,)
        Frames that it fits, in which no check disagrees.
    owned, claimed, proved : bool (n, bits)
    is_telling
        Whether what can be checked holds nearly always, and would not hold by chance.
    """

    fits: NDArray[np.bool_]
    owned: NDArray[np.bool_]
    claimed: NDArray[np.bool_]
    proved: NDArray[np.bool_]
    is_telling: bool

    @classmethod
    def of(cls, capture: Capture, plan: Plan, frames: KindFrames, bits: int, borne_out: frozenset[UUID]) -> _Said:
        """Decode frames and look at what holds."""
        layout = plan.layout
        decoded = decode_frames(capture, plan, frames)
        fits = _fitting(layout, decoded, frames)
        owners = _as_wide(bit_owners(plan, frames.matrix, frames.sizes), bits)
        fields = list(layout.all_fields())
        # number -1, no field, is the last entry of these tables; reserved bits stand behind the fields
        says = np.array([*(says_something(field) for field in fields), True, False])
        proofs = Proofs.of(capture, plan, decoded, frames)
        proofs.bear_out(decoded, borne_out)
        holds = np.zeros((len(frames), len(fields) + 2), np.bool_)
        for number, field in enumerate(fields):
            if field.id in proofs.fields:
                holds[:, number] = proofs.fields[field.id]
        claimed = says[owners]
        for column in decoded.checks.values():
            if column.check.still_bits():
                claimed &= (owners != len(fields)) | (column.state != CheckState.DISAGREES)[:, None]
        proved = claimed & (holds[np.arange(len(frames))[:, None], owners] | _as_wide(proofs.under, bits))
        return cls(fits, owners >= 0, claimed, proved, proofs.are_telling)


def _as_wide(array: NDArray, bits: int) -> NDArray:
    """Return an array of bits as wide as the kind's longest frame; what is not there belongs to nobody."""
    found = array[:, :bits]
    if found.shape[1] == bits:
        return found
    empty = False if array.dtype == np.bool_ else -1
    return np.pad(found, ((0, 0), (0, bits - found.shape[1])), constant_values=empty)


def _fitting(layout: Layout, decoded: Decoded, frames: KindFrames) -> NDArray[np.bool_]:
    fits = frames.sizes >= layout.size
    if decoded.cut is not None:
        fits &= ~decoded.cut
    for column in decoded.checks.values():
        if column.check.spoils:
            # a counter that jumps tells of a frame that was lost, not of this one
            fits &= column.state != CheckState.DISAGREES
    return fits
