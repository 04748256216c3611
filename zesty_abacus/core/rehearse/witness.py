"""The last frames that came, so that what happened just before a step began is not missed."""

from __future__ import annotations

from ..frames.table import FrameTable

_MOST = 40_000
_KEPT = 20_000


class Witness:
    """Remembers frames as they come; the oldest are let go."""

    def __init__(self) -> None:
        self._tables: list[FrameTable] = []
        self._count = 0

    def add(self, table: FrameTable) -> None:
        """Remember frames that came behind those before."""
        self._tables.append(table)
        self._count += len(table)
        if self._count > _MOST:
            whole = FrameTable.joined(self._tables).by_time()
            kept = whole.rows(len(whole) - _KEPT, len(whole)).compact()
            self._tables, self._count = [kept], len(kept)

    @property
    def table(self) -> FrameTable:
        """What is remembered, in order of time."""
        if len(self._tables) != 1:
            self._tables = [FrameTable.joined(self._tables).by_time()] if self._tables else []
        return self._tables[0] if self._tables else FrameTable.empty()

    def seen_since(self, time_ns: int) -> int:
        """Return how many of the remembered frames came at a time or later."""
        table = self.table
        return len(table) - int(table.time_ns.searchsorted(time_ns))
