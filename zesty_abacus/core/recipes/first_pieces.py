"""What the bytes of a recording look like that nobody has said how to put together, by the first of them."""

from __future__ import annotations

from pathlib import Path

from ..captures.report import ReadReport
from ..frames.table import FrameTable
from .proposal import SURE

_MOST = 4_000


class FirstPieces:
    """The first pieces of a recording, as it was cut: rows of a table, what came at once on a line."""

    def __init__(self) -> None:
        self._pieces: list[FrameTable] = []
        self._count = 0

    def add(self, chunk: FrameTable) -> None:
        """Keep of a chunk what is still wanted."""
        if len(chunk) and self._count < _MOST:
            self._pieces.append(chunk.rows(0, _MOST - self._count).compact())
            self._count += len(self._pieces[-1])

    def looks_like(self, path: Path, report: ReadReport) -> tuple[str, str]:
        """Return what they look like, and why; nothing where nobody could be sure."""
        if not self._pieces:
            return "", ""
        from .propose import propose_for_frames  # what measures is loaded where it is needed

        best = propose_for_frames(path, report, FrameTable.joined(self._pieces))[:1]
        return (best[0].recipe.speaks, best[0].reasons[0]) if best and best[0].score >= SURE else ("", "")
