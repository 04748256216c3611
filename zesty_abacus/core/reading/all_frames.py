"""What is asked of all frames of a kind, however long that takes."""

from __future__ import annotations

from uuid import UUID

from ..codec.columns import FieldColumn
from ..codec.kinds import decode_frames
from ..errors import MisuseError
from ..frames.segment_frames import KindFrames
from .meaning import Meaning

_CHUNK_FRAMES = 1 << 18


def field_column(meaning: Meaning, kind: int, field_id: UUID) -> tuple[KindFrames, FieldColumn]:
    """Return a field, or a computed value, that is there once a frame, with the frames that it is read of.

    Raises
    ------
    MisuseError
        If no layout that reads the kind has it, or the layout has problems.
    """
    for reader in meaning.kinds[kind].readers:
        if any(field.id == field_id for field in reader.shown.once_a_frame()):
            frames = meaning.frames_of(kind, reader, meaning.capture.kind_frames(kind))
            return frames, decode_frames(meaning.capture, meaning.plan(reader), frames, [field_id])[field_id]
    raise MisuseError("nobody reads this field here any more.")


def layouts_in_use(meaning: Meaning) -> set[UUID]:
    """Return the layouts that read at least one frame of the capture."""
    found: set[UUID] = set()
    for kind, means in enumerate(meaning.kinds):
        if means.readers and means.readers[0].choice.takes_all:
            found.add(means.readers[0].layout.id)
            continue
        rows = meaning.capture.kinds.rows(kind)
        for first in range(0, len(rows) if means.readers else 0, _CHUNK_FRAMES):
            frames = meaning.capture.frames.gather(rows[first : first + _CHUNK_FRAMES])
            found |= {reader.layout.id for reader, _mine in meaning.shares(kind, frames)}
    return found
