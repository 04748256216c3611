"""What comes live, counted lane by lane and put into words."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .doors import engine, going
from .lately import Lately

_SAID_A_BATCH = 24
"""Frames of a batch that are put into words: more than fit into a window between two of its pictures."""
_SAID_UNSEEN_NS = 500_000_000
"""So often one is put into words while nobody looks: whoever comes back wants to see something of what was there."""
_ASKED_A_BATCH = 240
"""Frames of a batch in which a condition holds that are put into words; more than can be read, less than holds up."""
_CHANCE = np.random.default_rng(0)


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
    """A lane as it is now: frames heard and sent since it was connected, and those lost.

    Attributes
    ----------
    bit_rate
        Of the line, in bit/s; None where it is not known.
    """

    name: str
    note: str
    protocol: str
    endpoint: str
    heard: int = 0
    sent: int = 0
    lost: int = 0
    bit_rate: int | None = None

    def load(self, bits_a_second: float) -> float | None:
        """Return which part of the line frames take; None where they are none of CAN, or its rate is not known."""
        return bits_a_second / self.bit_rate if self.bit_rate and self.protocol == going.CAN else None


class Hearing:
    """Follows frames as they come; used by the thread that takes them, and read by the window.

    Attributes
    ----------
    lanes
        Every connected lane, by name.
    is_watched
        Whether somebody reads the words.
    lately
        What came and went in the last seconds.
    """

    def __init__(self, layouts: Callable[[], Iterable[Any]]) -> None:
        self.lanes: dict[str, LaneState] = {}
        self.is_watched = True
        self._said_ns = 0
        self.lately = Lately()
        self._layouts = layouts
        self._others: dict[str, dict[tuple[int, bool], str]] = {}
        self._coming: Any = None
        self._lock = threading.Lock()
        self._asked: tuple[str, Any] = "", None

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
        self.lately.forget()
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
        bits = self._bits_of(table, names)
        for number in np.unique(table.lane).tolist():
            name, here = names[number], table.lane == number
            self._count_way(name, False, table.time_ns[here & ~sent], bits[here & ~sent])
            self._count_way(name, True, table.time_ns[here & sent], bits[here & sent])

    def _count_way(self, lane: str, is_sent: bool, times_ns: NDArray[np.int64], bits: NDArray[np.float64]) -> None:
        if not len(times_ns):
            return
        self.lately.add(lane, is_sent, times_ns, bits)
        state = self.lanes.get(lane)
        if state is not None and is_sent:
            state.sent += len(times_ns)
        elif state is not None:
            state.heard += len(times_ns)

    def _bits_of(self, table: Any, names: Sequence[str]) -> NDArray[np.float64]:
        """Return the bits that frames took on their lines, 0 of those that are not on CAN."""
        known = [self.lanes.get(name) for name in names]
        on_can = np.array([state is not None and state.protocol == going.CAN for state in known])[table.lane]
        bits = np.zeros(len(table))
        # a stream on another lane may have thousands of bytes a piece
        bits[on_can] = going.frame_bits(table.chosen(np.flatnonzero(on_can)))
        return bits

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
