"""What comes live, counted lane by lane and put into words."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .doors import engine, going

_SAID_A_BATCH = 24
"""Frames of a batch that are put into words: more than fit into a window between two of its pictures."""
_SAID_UNSEEN_NS = 500_000_000
"""So often one is put into words while nobody looks: whoever comes back wants to see something of what was there."""
_ASKED_A_BATCH = 240
"""Frames of a batch in which a condition holds that are put into words; more than can be read, less than holds up."""
_REMEMBERED_S = 12.0
_CHANCE = np.random.default_rng(0)
_MOST_TICKS = 6000


@dataclass(frozen=True, slots=True)
class LogRow:
    """A frame that was sent or heard, in words.

    Attributes
    ----------
    time_ns, lane, where, message, says
    is_sent
    payload
        In hex.
    asked
        The condition that holds in it; empty if none was asked.
    """

    time_ns: int
    lane: str
    where: str
    message: str
    says: str
    is_sent: bool
    payload: str
    asked: str = ""


@dataclass(slots=True)
class LaneState:
    """A lane as it is now: frames heard and sent since it was connected, those of the last second, those lost.

    Attributes
    ----------
    bit_rate
        Of the line, in bit/s; None where it is not known.
    load
        The part of the last second in which the line was taken; only of CAN lanes whose rate is known.
    """

    name: str
    note: str
    protocol: str
    endpoint: str
    heard: int = 0
    sent: int = 0
    rate: float = 0.0
    lost: int = 0
    bit_rate: int | None = None
    load: float | None = None


class Hearing:
    """Follows frames as they come; used by the thread that takes them, and read by the window.

    Attributes
    ----------
    lanes
        Every connected lane, by name.
    is_watched
        Whether somebody reads the words.
    ticks
        Times and lanes of the last frames, as (nanoseconds, lane, is sent).
    """

    def __init__(self, layouts: Callable[[], Iterable[Any]]) -> None:
        self.lanes: dict[str, LaneState] = {}
        self.is_watched = True
        self._said_ns = 0
        self.ticks: deque[tuple[int, str, bool]] = deque(maxlen=_MOST_TICKS)
        self._layouts = layouts
        self._others: dict[str, dict[tuple[int, bool], str]] = {}
        self._coming: Any = None
        self._lock = threading.Lock()
        self._asked: tuple[str, Any] = "", None
        self._bits: deque[tuple[int, dict[str, float]]] = deque()

    def ask(self, condition: str) -> None:
        """Say of every frame from now on whether a condition holds in it; empty asks nothing.

        Raises
        ------
        MisuseError
            If it makes no sense.
        """
        self._asked = condition, going.Watch(condition, list(self.lanes), list(self._layouts())) if condition else None

    @property
    def asked(self) -> str:
        """The condition that is asked of every frame; empty if none is."""
        return self._asked[0]

    def know(self, endpoints: Sequence[Any]) -> None:
        """Know the lanes of endpoints."""
        for endpoint in endpoints:
            for lane in endpoint.lanes:
                if lane.name not in self.lanes:
                    self.lanes[lane.name] = LaneState(
                        lane.name, lane.note, lane.protocol, str(endpoint.address), bit_rate=lane.bit_rate
                    )  # fmt: skip

    def forget(self) -> None:
        """Forget everything: nothing is connected any more."""
        self.lanes.clear()
        self.ticks.clear()
        self._bits.clear()
        self._asked = "", None
        with self._lock:
            self._others.clear()

    def others_on(self, lane: str) -> dict[tuple[int, bool], str]:
        """Return identifiers that others send on a lane, as (address, is extended), with what they are called."""
        with self._lock:
            return dict(self._others.get(lane, {}))

    def take(self, table: Any, lanes: Any, endpoints: Sequence[Any]) -> list[LogRow]:
        """Count frames, and return those that are listed, in words."""
        if any(lane.name not in self.lanes for lane in lanes):
            self.know(endpoints)
        self._count(table, [lane.name for lane in lanes])
        lost = {str(one.address): one.lost for one in endpoints}
        for state in self.lanes.values():
            state.lost = lost.get(state.endpoint, 0)
        return self._in_words(table, lanes)

    def _count(self, table: Any, names: Sequence[str]) -> None:
        sent = table.flags & np.uint32(going.SENT) > 0
        for number in np.unique(table.lane).tolist():
            state = self.lanes.get(names[number])
            if state is not None:
                here = table.lane == number
                state.sent += int((here & sent).sum())
                state.heard += int((here & ~sent).sum())
        for row in range(max(len(table) - _MOST_TICKS // 10, 0), len(table)):
            self.ticks.append((int(table.time_ns[row]), names[int(table.lane[row])], bool(sent[row])))
        newest = int(table.time_ns[-1])
        while self.ticks and self.ticks[0][0] < newest - round(_REMEMBERED_S * 1e9):
            self.ticks.popleft()
        counts: dict[str, int] = {}
        for time_ns, lane, _ in self.ticks:
            if time_ns > newest - 1_000_000_000:
                counts[lane] = counts.get(lane, 0) + 1
        for name, state in self.lanes.items():
            state.rate = float(counts.get(name, 0))
        self._weigh(table, names)

    def _weigh(self, table: Any, names: Sequence[str]) -> None:
        """Count the bits that frames took on their lines."""
        paced = {name for name in names if name in self.lanes and self.lanes[name].bit_rate}
        paced = {name for name in paced if self.lanes[name].protocol == going.CAN}
        if not paced:
            return
        newest = int(table.time_ns[-1])
        # bits are those of CAN; a stream on another lane may have thousands of bytes a piece
        on_can = table.chosen(np.flatnonzero(np.isin(table.lane, [n for n, name in enumerate(names) if name in paced])))
        bits = np.bincount(on_can.lane, going.frame_bits(on_can), len(names))
        self._bits.append((newest, {name: float(bits[n]) for n, name in enumerate(names) if name in paced}))
        while self._bits[0][0] < newest - 1_000_000_000:
            self._bits.popleft()
        for name in paced:
            state = self.lanes[name]
            state.load = sum(part.get(name, 0.0) for _, part in self._bits) / (state.bit_rate or 1)

    def _most_said(self, newest_ns: int) -> int:
        if self.is_watched:
            return _SAID_A_BATCH
        if newest_ns < self._said_ns + _SAID_UNSEEN_NS:
            return 0
        self._said_ns = newest_ns
        return 1

    def _in_words(self, table: Any, lanes: Any) -> list[LogRow]:
        if self._coming is None:
            self._coming = going.ComingMeaning()
        meaning = self._coming.of(table, lanes, self._layouts())
        capture = meaning.capture
        kinds = capture.kinds_of(np.arange(len(table), dtype=np.uint32))
        self._remember_others(meaning, np.unique(kinds[table.flags & np.uint32(going.SENT) == 0]).tolist())
        sent = np.flatnonzero(table.flags & np.uint32(going.SENT))
        # everything that was sent is told, and of what was heard as much as anybody can read
        most = self._most_said(int(table.time_ns[-1]))
        some = np.union1d(sent[-_SAID_A_BATCH:], newest_of_each(kinds, most))
        asked, watch = self._asked
        holds = watch.holds_in(table, lanes) if watch is not None else []
        # what is asked for is listed beside the newest, even in a flood of everything else
        some = np.union1d(some, np.array(holds[-_ASKED_A_BATCH:], np.int64))
        rows = some.astype(np.uint32)
        messages, says = (column.to_pylist() for column in going.sayings(meaning, rows))
        held = set(holds)
        made = []
        for row, message, words in zip(rows.tolist(), messages, says, strict=True):
            frame = capture.frames.at(row)
            key = capture.kinds.keys[capture.kind_of(row)]
            lane = capture.lanes[frame.lane]
            where = engine.protocol_named(lane.protocol).kind_text(key)
            made.append(LogRow(
                int(table.time_ns[row]), lane.name, where, message or "", words or "",
                bool(frame.flags & going.SENT), table.payload_of(row).hex(" ").upper(),
                asked if row in held else "",
            ))  # fmt: skip
        return made

    def _remember_others(self, meaning: Any, kinds: Sequence[int]) -> None:
        """Remember who sends kinds that were heard."""
        capture = meaning.capture
        with self._lock:
            for kind in kinds:
                key = capture.kinds.keys[kind]
                layout = meaning.layout_of(kind)
                lane = capture.lanes[key.lane].name
                words = layout.sender or layout.name if layout is not None else ""
                self._others.setdefault(lane, {})[key.address, bool(key.flags & going.EXTENDED)] = words


def newest_of_each(kinds: NDArray[np.integer], most: int) -> NDArray[np.int64]:
    """Return which frames are listed of some that came at once, by the kind of each, int (n,): rows, rising.

    The newest of each kind goes before others: of messages that come in a beat always the same ones would be left out.
    """
    _, newest = np.unique(kinds[::-1], return_index=True)
    others = np.setdiff1d(np.arange(len(kinds)), newest)
    # of more kinds than are listed it is each time others
    chosen = np.concatenate([_CHANCE.permutation(newest), others])[:most]
    return np.sort(len(kinds) - 1 - chosen)
