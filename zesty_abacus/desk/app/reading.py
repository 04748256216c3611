"""What the frames of the open capture mean, for all views: the one place where the window asks."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any
from uuid import UUID

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from .doors import engine
from .jobs import Jobs


class Reading(QObject):
    """The meaning of the open capture, and how much of it is explained.

    Attributes
    ----------
    meaning
        None until a trial is open.
    activities, explained
        How bits live, and how many are explained, a kind each; empty until they are counted.

    Events
    ------
    changed
        Frames mean something else now.
    explained_changed
        Explained bits were counted again.
    """

    changed = pyqtSignal()
    explained_changed = pyqtSignal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self.meaning: engine.Meaning | None = None
        self.activities: list[engine.KindActivity] = []
        self._counted: list[engine.KindExplained] = []
        self._chosen: dict[int, UUID] = {}

    def start(self, meaning: engine.Meaning) -> None:
        """Begin with another capture, or with all layouts anew."""
        if self.meaning is None or self.meaning.capture is not meaning.capture:
            self.activities, self._counted, self._chosen = [], [], {}
        self.meaning = meaning

    def move_to(self, capture: Any) -> None:
        """Go on with a capture whose kinds are the same ones: what was counted of their bits holds."""
        assert self.meaning is not None, "a capture that has moved was open before"
        self.meaning = self.meaning.moved_to(capture)

    def take(self, layouts: dict[UUID, engine.Layout | None]) -> None:
        """Let some layouts be others; None for those that are gone."""
        if self.meaning is not None and layouts:
            self._use(self.meaning.changed(layouts))

    def take_ties(self, ties: Sequence[engine.Tie]) -> None:
        """Let the trial tie other layouts by hand."""
        if self.meaning is not None and tuple(ties) != self.meaning.ties:
            self._use(self.meaning.with_ties(ties))

    def take_all(self, layouts: Iterable[engine.Layout], release: str) -> None:
        """Let the capture be read by other layouts altogether: those of another library, or of a release."""
        if self.meaning is not None:
            before = self.meaning
            self._use(engine.Meaning.of(before.capture, layouts, before.ties, release))

    def _use(self, meaning: engine.Meaning) -> None:
        self.meaning = meaning
        self.changed.emit()
        self.count_explained()

    # counting

    def count_activity(self) -> None:
        """Count how bits live, then how many are explained, on a thread."""
        meaning = self.meaning
        if meaning is None:
            return
        capture = meaning.capture

        def finish(activities: list[engine.KindActivity]) -> None:
            if self.meaning is not None and capture is self.meaning.capture:
                self.activities = activities
                self.count_explained()

        self._jobs.start("activity", "counting bits", lambda p: engine.capture_activity(capture, p), finish)

    def count_explained(self) -> None:
        """Count explained bits of the kinds that mean something else now, on a thread."""
        meaning, activities, before = self.meaning, self.activities, self._counted
        if meaning is None or not activities:
            return

        def finish(counted: list[engine.KindExplained]) -> None:
            if meaning is self.meaning:
                self._counted = counted
                self.explained_changed.emit()

        self._jobs.start(
            "explained", "counting explained bits",
            lambda progress: engine.explain(meaning, activities, before, progress.check), finish,
        )  # fmt: skip

    @property
    def explained(self) -> list[engine.Explained]:
        """How much of each kind is explained, empty before it is counted."""
        return [one.explained for one in self._counted]

    def activity_of(self, kind: int | None) -> engine.KindActivity | None:
        """Return how the bits of a kind live, None before it is counted."""
        return self.activities[kind] if kind is not None and kind < len(self.activities) else None

    def explained_of(self, kind: int) -> engine.Explained | None:
        """Return how much of a kind is explained, None before it is counted."""
        return self._counted[kind].explained if kind < len(self._counted) else None

    def explained_of_all(self, kinds: Iterable[int] | None = None) -> engine.Explained | None:
        """Return how much of some kinds, or of the whole capture, is explained; None before it is counted."""
        if not self._counted:
            return None
        chosen = range(len(self._counted)) if kinds is None else kinds
        return sum((self._counted[kind].explained for kind in chosen), engine.Explained())

    # who reads what

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

    # whose bits

    def owners_of(self, kind: int, size: int) -> NDArray[np.int16]:
        """Return which field of the layout in hand owns each bit of a kind, -1 for none; int16 (size * 8,).

        Fields are numbered as :meth:`Layout.all_fields` lists them.
        """
        layout = self.layout_of(kind)
        if layout is None or not layout.moves:
            made: NDArray[np.int16] = engine.owned_bits(layout, size)
            return made
        # of a layout that moves they come with the count of explained bits, from another thread
        found = self._counted[kind].owners if kind < len(self._counted) else np.zeros(0, np.int16)
        return np.pad(found[: size * 8], (0, max(size * 8 - len(found), 0)), constant_values=-1)

    def owners_by_all(self, kind: int, size: int) -> NDArray[np.int16]:
        """Return the same by all layouts that share a kind: which bits any of them owns."""
        owners = self.owners_of(kind, size)
        for reader in self.readers(kind)[1:]:
            owners = np.where(owners < 0, engine.owned_bits(reader.shown, size), owners)
        return owners

    def owner_name(self, kind: int, number: int) -> str:
        """Return the name of the field that owns a bit, as :meth:`owners_of` numbers it."""
        layout = self.layout_of(kind)
        fields = list(layout.all_fields()) if layout is not None else []
        return fields[number].name if 0 <= number < len(fields) else "reserved" if number >= 0 else "no field"
