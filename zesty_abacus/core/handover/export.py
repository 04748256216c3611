"""An export of a capture as a value: what leaves, of which messages and when, in which form."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import pyarrow as pa

from ..files.writing import Target
from ..frames.capture import Capture
from ..origin import Origin
from ..progress import Progress
from ..reading.meaning import Meaning
from .block import Blocks
from .chunks import Span, Which
from .decoded_table import Shaped, decoded_table
from .frame_table import FRAME_SCHEMA, frame_table
from .recording import recording_forms, write_recording
from .times import TimeForm, with_times
from .writers import Rows, export_tables

_PREVIEWED_FRAMES = 2000


@dataclass(frozen=True, slots=True)
class Exported:
    """What left: how many rows or frames, and a sentence about what could not; empty if all could."""

    rows: int
    without: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class Leaving:
    """Frames that leave, as a recording or as a table about them."""

    capture: Capture
    which: Which = None
    kinds: frozenset[int] | None = None

    def write(
        self, target: Target, form: str, schema: pa.Schema, blocks: Rows, progress: Progress, origin: Origin | None
    ) -> Exported:  # fmt: skip
        """Write the frames themselves where the form is that of a recording, else the table."""
        if form in recording_forms():
            written = write_recording(target, self.capture, self.which, self.kinds, progress, form)
            return Exported(written.frames, written.words())
        return Exported(export_tables(target, form, schema, blocks, progress, self._count(), origin))

    def _count(self) -> int:
        if isinstance(self.which, Span):
            return self.which.last - self.which.first
        return len(self.capture) if self.which is None else len(self.which)


@dataclass(frozen=True, slots=True, eq=False)
class Export:
    """What is to be handed over.

    Attributes
    ----------
    meaning
        The capture, and what it means.
    how
        How decoded values stand in the table; None for frames, undecoded.
    form
        Name of the file format; of frames that are not decoded also that of a recording.
    span
        Which stretch of the capture.
    kinds
        Numbers of the kinds that leave; None is all.
    times
        The form of times.
    """

    meaning: Meaning
    how: Shaped | None
    form: str
    span: Span
    kinds: frozenset[int] | None = None
    times: TimeForm = "ns"

    @property
    def is_decoded(self) -> bool:
        """Whether what leaves depends on layouts."""
        return self.how is not None

    def blocks(self, span: Span | None = None) -> tuple[pa.Schema, Blocks]:
        """Return the schema and the blocks of the whole stretch, or of a part of it.

        Raises
        ------
        MisuseError
            If nobody reads what is to be decoded; nothing has been written then.
        """
        schema, table = self._table(span or self.span)
        return with_times(schema, table, self.times, self.meaning.capture.origin_ns)

    def _table(self, span: Span) -> tuple[pa.Schema, Blocks]:
        if self.how is None:
            return FRAME_SCHEMA, frame_table(self.meaning.capture, span, self.kinds)
        return decoded_table(self.meaning, self.how, span, self.kinds)

    def write(self, target: Target, origin: Origin | None, progress: Progress) -> Exported:
        """Write the file, with its origin where it is decoded."""
        schema, blocks = self.blocks()
        leaving = Leaving(self.meaning.capture, self.span, self.kinds)
        return leaving.write(target, self.form, schema, blocks, progress, origin if self.is_decoded else None)

    def preview(self, rows: int, progress: Progress) -> tuple[list[str], list[list[Any]]]:
        """Return column names and the first rows, as far as they come from the first frames of the stretch."""
        progress.step(0.2, "making a preview")
        schema, blocks = self.blocks(Span(self.span.first, min(self.span.last, self.span.first + _PREVIEWED_FRAMES)))
        block = next((one for one in blocks if one.count), None)
        data = [] if block is None else [list(row.values()) for row in next(block.tables()).slice(0, rows).to_pylist()]
        return list(schema.names), data
