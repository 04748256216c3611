"""What the frames of the open capture mean, for all views: the one place where the window asks."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from .counts import Counts
from .doors import engine
from .jobs import Jobs


class Reading(QObject):
    """The meaning of the open capture, and how much of it is explained.

    Attributes
    ----------
    meaning
        None until a trial is open.
    counts
        How bits live and how many of them are explained.

    Events
    ------
    changed
        Frames mean something else now.
    """

    changed = pyqtSignal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self.counts = Counts(jobs)
        self.meaning: engine.Meaning | None = None
        self._chosen: dict[int, UUID] = {}

    def start(self, meaning: engine.Meaning) -> None:
        """Begin with another capture, or with all layouts anew."""
        if self.meaning is None or self.meaning.capture is not meaning.capture:
            self.counts.forget()
            self._chosen = {}
        self.meaning = meaning
        self.counts.mean(meaning)

    def grow(self, meaning: engine.Meaning) -> None:
        """Go on with the same capture with more frames: everything known of those that were there holds."""
        self.meaning = meaning
        self.counts.grow(meaning)

    def move_to(self, capture: Any) -> None:
        """Go on with a capture whose kinds are the same ones: what was counted of their bits holds."""
        assert self.meaning is not None, "a capture that has moved was open before"
        self.meaning = self.meaning.moved_to(capture)
        self.counts.mean(self.meaning)

    def take(self, layouts: dict[UUID, engine.Layout | None]) -> None:
        """Let some layouts be others; None for those that are gone."""
        if self.meaning is not None and layouts:
            self._use(self.meaning.changed(layouts))

    def take_ties(self, ties: Sequence[engine.Tie]) -> None:
        """Let the trial tie other layouts by hand."""
        if self.meaning is not None and tuple(ties) != self.meaning.ties:
            self._use(self.meaning.with_ties(ties))

    def take_all(self, known: engine.Known) -> None:
        """Let the capture be read by other layouts altogether: those of another library, or of a release."""
        if self.meaning is not None:
            before = self.meaning
            self._use(known.meaning(before.capture, before.ties))

    def _use(self, meaning: engine.Meaning) -> None:
        self.meaning = meaning
        self.counts.mean(meaning)
        self.changed.emit()
        self.counts.count_explained()

    def readers(self, kind: int | None) -> tuple[engine.Reader, ...]:
        """Return who reads frames of a kind, in order of precedence."""
        if self.meaning is None or kind is None or kind >= len(self.meaning.kinds):
            return ()
        return self.meaning.kinds[kind].readers

    def reader(self, kind: int | None) -> engine.Reader | None:
        """Return the reader of a kind that is in hand: the chosen one of several, else the first."""
        readers = self.readers(kind)
        chosen = self._chosen.get(kind) if kind is not None else None
        return next((one for one in readers if one.layout.id == chosen), readers[0] if readers else None)

    def choose(self, kind: int, layout_id: UUID) -> None:
        """Take another of several readers of a kind in hand."""
        if self._chosen.get(kind) != layout_id:
            self._chosen[kind] = layout_id
            self.changed.emit()

    def layout_of(self, kind: int | None) -> engine.Layout | None:
        """Return the layout in hand of a kind, as the kind shows it."""
        reader = self.reader(kind)
        return reader.shown if reader is not None else None

    def layout_at(self, kind: int, row: int) -> engine.Layout | None:
        """Return the layout that reads one frame, None if none does."""
        reader = self.meaning.reader_of(kind, row) if self.meaning is not None else None
        return reader.shown if reader is not None else None

    def layout_with(self, kind: int, field_id: UUID) -> engine.Layout | None:
        """Return the layout that reads a kind and has a field, or a computed value, once a frame."""
        for reader in self.readers(kind):
            if any(field.id == field_id for field in reader.shown.once_a_frame()):
                return reader.shown
        return None

    def kinds_read(self) -> Iterator[int]:
        """Yield the kinds that anybody reads."""
        if self.meaning is not None:
            yield from (kind for kind, one in enumerate(self.meaning.kinds) if one.readers)

    def shown_by(self, layout_id: UUID) -> Iterator[tuple[int, engine.Layout]]:
        """Yield each kind that a layout reads, with the layout as the kind shows it."""
        if self.meaning is not None:
            for kind, one in enumerate(self.meaning.kinds):
                reader = one.reader_with(layout_id)
                if reader is not None:
                    yield kind, reader.shown

    def kind_read_by(self, layout_id: UUID, first: int | None) -> int | None:
        """Return a kind that a layout reads, ``first`` before others; None if there is none."""
        kinds = self.meaning.kinds_read_by(layout_id) if self.meaning is not None else []
        return first if first in kinds else next(iter(kinds), None)

    def words(self, kind: int) -> str:
        """Say who reads a kind and why, and which others would."""
        return self.meaning.kinds[kind].words() if self.meaning is not None else ""

    def name(self, kind: int) -> str:
        """Return the name of the message of a kind, and how many more share it; nothing if nobody named it."""
        readers = self.readers(kind)
        if len(readers) < 2:
            return readers[0].layout.name if readers else ""
        return f"{readers[0].layout.name} +{len(readers) - 1}"
