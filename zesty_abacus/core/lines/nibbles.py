"""Half bytes in the distance of falling edges, as sensors of vehicles send them on one wire (SAE J2716).

A frame begins with 56 ticks from one fall to the next. A half byte of value n follows as 12 + n ticks: a status, one to
six of data, and a CRC of four bits over the data. A pause may fill the time up to the next frame. Each frame is
measured by its own first distance, since the clock of a sensor may be off by a fifth.

The payload holds the status and the data, the first one highest; a last half byte without another is filled with zeros.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..waves.edges import Edges
from ..words import grouped
from .clusters import cluster_lengths
from .result import CHECK, CONTROL, DATA, FRAME_COLUMNS, MARK_COLUMNS, SYNC, Fact, LineResult, LineRoom, Marks, table_of
from .settings import LineSettings, Proposal, Setting

SYNC_TICKS, LEAST_TICKS = 56, 12
MOST_NIBBLES = 6
CHECKS = ("recommended", "legacy")
"""The CRC of later issues of the standard takes four zeros in at its end, that of the first ones does not."""
_SEED, _POLYNOMIAL = 0b0101, 0b1101
_OFF = 0.25
_TRIED_CHANGES = 40_000
_LEAST_FRAMES, _LEAST_GOOD = 8, 0.7


class NibbleLine(LineSettings, frozen=True, kw_only=True, tag="nibbles"):
    """The line; what is None is measured.

    Attributes
    ----------
    nibbles
        Half bytes of data in a frame.
    check
        One of :data:`CHECKS`.
    """

    line: str = ""
    tick_us: float | None = None
    nibbles: int | None = None
    check: str | None = None


class _Nibbles:
    name = "Half bytes"
    protocol = "nibbles"
    gives = "frames"
    settings = NibbleLine
    fields = (
        Setting("line", "line", "channel"),
        Setting("tick_us", "tick", "number", "µs", measured=True),
        Setting("nibbles", "half bytes of data", "number", measured=True),
        Setting("check", "check", "choice", measured=True, choices=(
            ("recommended", "recommended"), ("legacy", "as in the first issue"))),
    )  # fmt: skip

    def decode(self, settings: NibbleLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode one line; a frame with a distance that is no half byte is flagged *framing* and ends before it."""
        line = lines["line"]
        falls = line.time_ns[line.level == 0]
        measured_ns = _tick_ns(falls)
        tick_ns = settings.tick_us * 1000 if settings.tick_us else measured_ns
        if not (np.isfinite(tick_ns) and tick_ns > 0):
            return LineRoom(0, 0, 0).result()
        taken = _Taken(falls, tick_ns)
        count = min(max(int(settings.nibbles), 1), MOST_NIBBLES) if settings.nibbles else taken.usual_count()
        check = settings.check or taken.usual_check(count)
        facts = [
            Fact("tick_us", tick_ns / 1000, "µs", f"{tick_ns / 1000:.4g} µs"),
            Fact("nibbles", float(count), "", f"{grouped(count)} half bytes of data"),
            Fact("check", float(CHECKS.index(check)), "", f"CRC {check}"),
        ]
        return _result(taken, count, check).with_facts(*facts)

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """A CRC that agrees again and again behind distances of 12 to 27 ticks leaves no doubt."""
        found = []
        for name, line in channels.items():
            if len(line) < 40 or int(line.level.min()) < 0:
                continue
            settings = NibbleLine(line=name)
            result = self.decode(settings, {"line": line.first_part(_TRIED_CHANGES)})
            flags = result.frames.flags
            good = int((flags & F.WRONG == 0).sum())
            if good < _LEAST_FRAMES or good < _LEAST_GOOD * len(flags):
                continue
            facts = ", ".join(fact.words for fact in result.facts)
            reason = f"{name}: {grouped(good)} of {grouped(len(flags))} frames have a CRC that agrees, tick {facts}"
            found.append(Proposal(settings, good / len(flags), reason))
        return found


DECODER = _Nibbles()


class _Taken:
    """Distances of falls that may begin a frame, and the half bytes behind each.

    Attributes
    ----------
    first : int64 (n,)
        The fall that begins each.
    value : int64 (n, 8)
        The half bytes, -1 for a distance that is none.
    runs : int64 (n,)
        How many follow each other from the first one on.
    left : int64 (n,)
        How many distances the recording has behind the first one.
    """

    def __init__(self, falls: NDArray[np.int64], tick_ns: float) -> None:
        self.falls = falls
        distances = np.diff(falls).astype(np.float64)
        most = MOST_NIBBLES + 2
        first = np.flatnonzero(np.abs(distances / tick_ns - SYNC_TICKS) <= _OFF * SYNC_TICKS)
        padded = np.append(distances, np.full(most, np.nan))
        behind = padded[first[:, None] + 1 + np.arange(most)]
        with np.errstate(invalid="ignore"):
            value = np.rint(behind * SYNC_TICKS / distances[first][:, None]) - LEAST_TICKS
            value = np.where((value >= 0) & (value <= 15), value, -1).astype(np.int64)
        # a pause may be as long as what begins a frame, but no half byte stands behind it
        begins = value[:, 0] >= 0
        self.first, self.value = first[begins], value[begins]
        self.runs = np.cumprod(self.value >= 0, axis=1).sum(axis=1)
        self.left = len(distances) - 1 - self.first

    def usual_count(self) -> int:
        """Return how many half bytes of data frames have: those by which most CRCs agree, or that mostly follow."""
        agree = [self.most_agreeing(count) for count in range(1, MOST_NIBBLES + 1)]
        if max(agree) * 2 >= len(self.first) > 0:
            return int(np.argmax(agree)) + 1
        usual = int(np.bincount(self.runs).argmax()) - 2 if len(self.runs) else MOST_NIBBLES
        return min(max(usual, 1), MOST_NIBBLES)

    def usual_check(self, count: int) -> str:
        """Return the CRC that agrees more often."""
        return max(CHECKS, key=lambda check: self._agreeing(count, check))

    def most_agreeing(self, count: int) -> int:
        """Return in how many frames of so many half bytes one kind of CRC agrees."""
        return max(self._agreeing(count, check) for check in CHECKS)

    def _agreeing(self, count: int, check: str) -> int:
        whole = self.runs >= count + 2
        data = self.value[whole, 1 : count + 1]
        return int((crc_of(data, check) == self.value[whole, count + 1]).sum())


def _tick_ns(falls: NDArray[np.int64]) -> float:
    """Measure the tick: of all lengths that are usual, the one as which frames begin most often."""
    best, found = 0, float("nan")
    for cluster in cluster_lengths(np.diff(falls)):
        tick_ns = cluster.center / SYNC_TICKS
        taken = _Taken(falls[:_TRIED_CHANGES], tick_ns)
        agree = max(taken.most_agreeing(count) for count in range(1, MOST_NIBBLES + 1))
        if agree > best:
            best, found = agree, tick_ns
    return found


def crc_of(data: NDArray[np.int64], check: str) -> NDArray[np.int64]:
    """Return the CRC of rows of half bytes, by the polynomial x^4 + x^3 + x^2 + 1 begun with 0101 (SAE J2716).

    Parameters
    ----------
    data : int64 (n, k)
    check
        One of :data:`CHECKS`.
    """
    times_16 = np.array([_shifted(value) for value in range(16)], np.int64)
    crc = np.full(len(data), _SEED, np.int64)
    for place in range(data.shape[1]):
        crc = times_16[crc] ^ data[:, place]
    return times_16[crc] if check == "recommended" else crc


def _shifted(value: int) -> int:
    """Return four bits shifted by four, divided by the polynomial."""
    for _ in range(4):
        value = (value << 1 ^ (_POLYNOMIAL if value & 8 else 0)) & 15
    return value


def _result(taken: _Taken, count: int, check: str) -> LineResult:
    wanted = count + 2
    length = np.minimum(taken.runs, wanted)
    is_whole = length == wanted
    flags = np.where(is_whole, 0, F.FRAMING).astype(np.int64)
    flags = np.where(~is_whole & (taken.left <= length), F.CUT_SHORT, flags)
    agrees = crc_of(np.maximum(taken.value[:, 1 : count + 1], 0), check) == taken.value[:, count + 1]
    flags = np.where(is_whole & ~agrees, F.BAD_CHECK, flags)
    # the check is no part of what a frame says
    held = np.where(is_whole, wanted - 1, length)
    table, ends = _table(taken, count + 1, held, length, flags)
    return LineResult(table, ends, _marks(taken, length, wanted, flags))


def _table(taken, width, held, length, flags):  # type: ignore[no-untyped-def]
    """Return frames of so many half bytes, packed two a byte, and their ends."""
    values = np.where(np.arange(width) < held[:, None], np.maximum(taken.value[:, :width], 0), 0)
    if width % 2:
        values = np.append(values, np.zeros((len(values), 1), np.int64), axis=1)
    octets = (values[:, ::2] << 4 | values[:, 1::2]).astype(np.uint8)
    rows = np.zeros((len(values), FRAME_COLUMNS), np.int64)
    rows[:, 0] = taken.falls[taken.first]
    rows[:, 1] = taken.falls[taken.first + 1 + length]
    rows[:, 3] = flags
    rows[:, 4] = np.arange(len(rows)) * octets.shape[1]
    rows[:, 5] = (held + 1) // 2
    return table_of(rows, octets.ravel())


def _marks(taken: _Taken, length: NDArray[np.int64], wanted: int, flags: NDArray[np.int64]) -> Marks:
    """Return a mark for the begin of each frame and for each half byte, in order of time."""
    frame = np.repeat(np.arange(len(length)), length + 1)
    place = np.arange(len(frame)) - np.repeat(np.cumsum(length + 1) - (length + 1), length + 1)
    rows = np.zeros((len(frame), MARK_COLUMNS), np.int64)
    at = taken.first[frame] + place
    rows[:, 0], rows[:, 1] = taken.falls[at], taken.falls[at + 1]
    kinds = np.array([SYNC, CONTROL, *[DATA] * (wanted - 2), CHECK], np.int64)
    rows[:, 2] = kinds[place]
    rows[:, 3] = np.where(place > 0, taken.value[frame, np.maximum(place - 1, 0)], 0)
    rows[:, 4] = np.where(rows[:, 2] == CHECK, flags[frame] & F.BAD_CHECK, 0)
    rows[:, 5] = frame
    return Marks(rows)
