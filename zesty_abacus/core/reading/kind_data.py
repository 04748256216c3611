"""What views need of a kind, made once and drawn often: its frames, the history of its bits, curves of its fields."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

import numpy as np

from ..codec.columns import FieldColumn, join_columns
from ..codec.kinds import decode_frames
from ..codec.plan import Plan
from ..frames.activity import BitHistory
from ..frames.capture import Capture
from ..frames.decimate import Curve
from ..frames.segment_frames import KindFrames
from ..progress import Progress


@dataclass(frozen=True, slots=True, eq=False)
class KindData:
    """The frames of a kind and the pyramid of their bits."""

    kind: int
    frames: KindFrames
    history: BitHistory


def load_kind(capture: Capture, kind: int, progress: Progress) -> KindData:
    """Gather a kind's frames and sum up its bits."""
    progress.step(0.1, "gathering frames")
    frames = capture.kind_frames(kind)
    progress.step(0.6, "summing bits")
    return KindData(kind, frames, BitHistory.build(frames.time_ns, frames.matrix))


def grown_kind(capture: Capture, before: KindData, progress: Progress) -> KindData:
    """Add the frames that a kind has got since; only those are gathered and summed up."""
    progress.step(0.1, "gathering frames")
    more = capture.kind_frames(before.kind, len(before.frames))
    history = before.history.grown(more.time_ns, more.matrix)
    frames = KindFrames(
        np.concatenate([before.frames.rows, more.rows]), history.time_ns,
        np.concatenate([before.frames.sizes, more.sizes]), history.matrix,
    )  # fmt: skip
    return KindData(before.kind, frames, history)


def field_curve(
    capture: Capture, frames: KindFrames, plan: Plan, field_id: UUID, progress: Progress
) -> tuple[FieldColumn, Curve]:
    """Decode one field of a kind and prepare its curve."""
    progress.step(0.1, "decoding")
    column = decode_frames(capture, plan, frames, [field_id])[field_id]
    progress.step(0.7, "preparing the curve")
    return column, Curve.build(frames.time_ns, column.plot_values())


def joined_curve(
    capture: Capture, parts: Sequence[tuple[KindFrames, Plan]], field_id: UUID, progress: Progress
) -> tuple[FieldColumn, Curve]:
    """Decode one field of several kinds and prepare the one curve of it, in order of time.

    Parameters
    ----------
    parts
        The frames of each kind, and the plan of the layout as the kind shows it.
    """
    progress.step(0.1, "decoding")
    columns = [decode_frames(capture, plan, frames, [field_id])[field_id] for frames, plan in parts]
    times = np.concatenate([frames.time_ns for frames, _ in parts])
    order = np.argsort(times, kind="stable")
    column = join_columns(columns).take(order)
    progress.step(0.7, "preparing the curve")
    return column, Curve.build(times[order], column.plot_values())


def grown_curve(
    capture: Capture,
    more: KindFrames,
    plan: Plan,
    field_id: UUID,
    before: tuple[FieldColumn, Curve],
    progress: Progress,
) -> tuple[FieldColumn, Curve]:
    """Add the frames that came since to the curve of a field; only those are decoded."""
    progress.step(0.1, "decoding")
    column = decode_frames(capture, plan, more, [field_id])[field_id]
    return join_columns([before[0], column]), before[1].grown(more.time_ns, column.plot_values())
