"""What the bytes of a recording look like that nobody has said how to put together, by the first of them."""

from __future__ import annotations

from pathlib import Path

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

    def looks_like(self, path: Path, form: str) -> tuple[str, str]:
        """Return what they look like, and why; nothing where nobody could be sure, or they are no pieces of bytes."""
        if not self._pieces:
            return "", ""
        from .propose import propose_for_frames, what_it_holds  # what measures is loaded where it is needed

        table = FrameTable.joined(self._pieces)
        best = propose_for_frames(path, form, table)[:1] if what_it_holds(form, table) == "bytes" else []
        return (best[0].recipe.speaks, best[0].reasons[0]) if best and best[0].score >= SURE else ("", "")
