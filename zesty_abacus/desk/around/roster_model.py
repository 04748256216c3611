"""What the roster lists: lanes, devices of registers, and kinds of messages, in an order and as far as they match."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from PyQt6.QtCore import QAbstractListModel, QModelIndex, Qt

from ..app.doors import engine
from ..app.session import Session
from ..widgets.parts import plain_tip
from ..widgets.words import counted

REWARDING = "most rewarding first"
ENTRY_ROLE = Qt.ItemDataRole.UserRole
ORDERS = {
    "by address": lambda s, k: (s.kinds.key(k),),
    "least explained first": lambda s, k: (_share(s, k), -s.capture.kinds.count(k)),
    REWARDING: lambda s, k: (-s.findings.reward(k), -_unexplained(s, k), s.kinds.key(k)),
    "by name": lambda s, k: (not s.kinds.name(k), s.kinds.name(k).lower(), s.kinds.key(k)),
    "most frames first": lambda s, k: (-s.capture.kinds.count(k),),
}
_MOST_TOLD = 8
_FEW = 4
"""Exchanges of a device that are listed one by one; more of them are one row that opens."""


def _share(session: Session, kind: int) -> float:
    explained = session.reading.counts.explained_of(kind)
    share = explained.share if explained is not None else None
    return 2.0 if share is None else share


def _unexplained(session: Session, kind: int) -> int:
    explained = session.reading.counts.explained_of(kind)
    return round(explained.moving * (1 - (explained.share or 0.0))) if explained is not None else 0


class Device(NamedTuple):
    """A device whose registers are asked for in many ways: one row for all of its exchanges.

    Attributes
    ----------
    lane
    text
        What its bus calls it.
    kinds
        Numbers of its exchanges, those that match, in the order of the roster.
    is_open
        Whether they are listed below it.
    """

    lane: int
    text: str
    kinds: tuple[int, ...]
    is_open: bool

    @property
    def place(self) -> tuple[int, str]:
        """What tells it from others."""
        return self.lane, self.text


Entry = str | int | Device
"""The name of a lane, the number of a kind, or a device."""


class RosterModel(QAbstractListModel):
    """Rows of the roster.

    Attributes
    ----------
    entries
        Those that are shown, from the top.
    known
        How many kinds there were when they were arranged.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._opened: set[tuple[int, str]] = set()
        self._inside: dict[int, Device] = {}
        self.known = 0
        self.entries: list[Entry] = []

    def arrange(self, order: str, wanted: str) -> None:
        """Fill the rows: kinds of each lane in an order, those that match a filter."""
        self.beginResetModel()
        self.entries, self._inside = [], {}
        capture = self._session.capture
        self.known = len(capture.kinds.keys) if capture is not None else 0
        by_lane: dict[int, list[int]] = {}
        for kind in range(self.known):
            if self._matches(kind, wanted):
                by_lane.setdefault(capture.kinds.keys[kind].lane, []).append(kind)
        for lane, kinds in sorted(by_lane.items()):
            kinds.sort(key=lambda kind: ORDERS[order](self._session, kind))
            self.entries += [capture.lanes[lane].name, *self._rows_of(lane, kinds, is_open=bool(wanted.strip()))]
        self.endResetModel()

    def _rows_of(self, lane: int, kinds: Sequence[int], *, is_open: bool) -> Iterator[Entry]:
        """Yield the rows of a lane; a device of many exchanges stands where the first of them would."""
        devices: dict[str, list[int]] = {}
        for kind in kinds:
            devices.setdefault(self._session.kinds.device(kind), []).append(kind)
        for kind in kinds:
            text = self._session.kinds.device(kind)
            mine = devices[text]
            if not text or len(mine) <= _FEW:
                yield kind
            elif kind == mine[0]:
                device = Device(lane, text, tuple(mine), is_open or (lane, text) in self._opened)
                self._inside |= dict.fromkeys(mine, device)
                yield device
                yield from mine if device.is_open else ()

    def kinds(self) -> list[int]:
        """Return all kinds that match, in order, whether their device is open or not."""
        found: list[int] = []
        for entry in self.entries:
            if isinstance(entry, Device):
                found += entry.kinds
            elif isinstance(entry, int) and entry not in self._inside:
                found.append(entry)
        return found

    def row_of(self, kind: int) -> int:
        """Return the row of a kind, or of the closed device that it is of; -1 if it does not match."""
        device = self._inside.get(kind)
        entry = kind if device is None or device.is_open else device
        return self.entries.index(entry) if entry in self.entries else -1

    def turn(self, device: Device) -> None:
        """Open a device that is closed, or close it; the rows have to be arranged anew."""
        self._opened ^= {device.place}

    def device_around(self, kind: int) -> Device | None:
        """Return the device whose row stands for a kind, open or not; None if the kind has a row by itself."""
        return self._inside.get(kind)

    def _matches(self, kind: int, wanted: str) -> bool:
        parts = wanted.lower().split()
        return not parts or all(part in self._session.kinds.letters(kind) for part in parts)

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return len(self.entries)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        entry = self.entries[index.row()]
        if role == ENTRY_ROLE:
            return entry
        words = entry if isinstance(entry, str) else self._words(entry)
        if role == Qt.ItemDataRole.ToolTipRole:
            clash = self._session.kinds.clash(entry) if isinstance(entry, int) else ()
            return plain_tip("\n".join((words, *clash[:_MOST_TOLD])))
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return words
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        if isinstance(self.entries[index.row()], str):
            return Qt.ItemFlag.NoItemFlags
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable

    def _words(self, entry: int | Device) -> str:
        session = self._session
        kinds = entry.kinds if isinstance(entry, Device) else (entry,)
        explained = explained_of(session, kinds)
        shown = f", {explained.share_text()} explained" if explained is not None and explained.moving else ""
        if isinstance(entry, Device):
            return f"{entry.text} {names_of(session, kinds) or 'unnamed'}, {counted(len(kinds), 'exchange')}{shown}"
        apart = ", layouts differ" if session.kinds.is_apart(entry) else ""
        return f"{session.kinds.address(entry)} {session.kinds.name(entry) or 'unnamed'}{shown}{apart}"


def explained_of(session: Session, kinds: Iterable[int]) -> engine.Explained | None:
    """Return how much of some kinds is explained, None before it is counted."""
    found = [session.reading.counts.explained_of(kind) for kind in kinds]
    known = [one for one in found if one is not None]
    return sum(known, engine.Explained()) if known else None


def names_of(session: Session, kinds: Iterable[int]) -> str:
    """Return the maps that read registers of exchanges, each name once; nothing if there is none."""
    readers = [reader.layout for kind in kinds for reader in session.reading.readers(kind)]
    return ", ".join(dict.fromkeys(layout.name for layout in readers if layout.registers is not None))
