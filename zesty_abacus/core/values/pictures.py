"""Values as other pictures than over time: how often each comes, one against another, arrays as surfaces."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..codec.kinds import decode_frames
from ..errors import MisuseError
from ..frames.decimate import Curve
from ..progress import Progress
from ..reading.meaning import Meaning

_MOST_BINS = 80
_MOST_POINTS = 20_000
_MOST_COLUMNS = 2_000
_MOST_ITEMS = 4_096


@dataclass(frozen=True, slots=True, eq=False)
class Histogram:
    """How often values come.

    Attributes
    ----------
    edges : float64 (bins + 1,)
    counts : int64 (bins,)
    """

    edges: NDArray[np.float64]
    counts: NDArray[np.int64]

    @property
    def total(self) -> int:
        """How many values there are."""
        return int(self.counts.sum())


def histogram(values: NDArray[np.float64], step: float = 0.0) -> Histogram:
    """Return how often values come, in bins that no value lies on the edge of where they have a step.

    Parameters
    ----------
    values : float64 (n,)
        NaN is left out.
    step
        What values are multiples of, 0 where that is not known.
    """
    known = values[np.isfinite(values)]
    if not len(known):
        return Histogram(np.array([0.0, 1.0]), np.zeros(1, np.int64))
    low, high = float(known.min()), float(known.max())
    if low == high:
        half = step / 2 if step else max(abs(low) * 1e-3, 0.5)
        return Histogram(np.array([low - half, low + half]), np.array([len(known)], np.int64))
    bins = min(_MOST_BINS, max(int(np.sqrt(len(known))), 8))
    width = (high - low) / bins
    if step:
        # whole steps, so that no bin has one more of them than its neighbours
        width = max(np.ceil(width / step), 1) * step
        low -= step / 2
    count = int(np.ceil((high - low) / width + 1e-9))
    count += int(low + count * width <= high)
    edges = (low + np.arange(count + 1) * width).astype(np.float64)
    return Histogram(edges, np.histogram(known, edges)[0].astype(np.int64))


def distances(time_ns: NDArray[np.int64], first_ns: int, last_ns: int) -> NDArray[np.float64]:
    """Return the distances of frames in a stretch, in seconds; float64 (n - 1,)."""
    inside = time_ns[(time_ns >= first_ns) & (time_ns <= last_ns)]
    return np.diff(inside) / 1e9


@dataclass(frozen=True, slots=True, eq=False)
class Cloud:
    """One field against another; (n,) each.

    Attributes
    ----------
    x, y : float64
    share : float64
        When each was, 0 at the beginning of the stretch to 1 at its end.
    """

    x: NDArray[np.float64]
    y: NDArray[np.float64]
    share: NDArray[np.float64]


def cloud(x: Curve, y: Curve, first_ns: int, last_ns: int) -> Cloud:
    """Return one field against another in a stretch: at each value of the second the newest of the first."""
    begin, end = np.searchsorted(y.time_ns, [first_ns, last_ns + 1])
    step = max((int(end) - int(begin)) // _MOST_POINTS, 1)
    times, values = y.time_ns[begin:end:step], y.values[begin:end:step]
    place = np.searchsorted(x.time_ns, times, side="right") - 1
    known = (place >= 0) & ~np.isnan(values)
    along = np.where(place >= 0, x.values[np.maximum(place, 0)], np.nan) if len(x) else np.full(len(times), np.nan)
    known &= ~np.isnan(along)
    share = (times[known] - first_ns) / max(last_ns - first_ns, 1)
    return Cloud(along[known], values[known], share)


@dataclass(frozen=True, slots=True, eq=False)
class ArrayPicture:
    """A field of an array over time.

    Attributes
    ----------
    values : float64 (items, frames)
        NaN where an item was not there.
    axis : float64 (items,)
        Where items stand, as most frames say; their numbers without an axis.
    axis_name, axis_unit
    name, unit
        Of the field.
    time_ns : int64 (frames,)
    """

    values: NDArray[np.float64]
    axis: NDArray[np.float64]
    axis_name: str
    axis_unit: str
    name: str
    unit: str
    time_ns: NDArray[np.int64]

    def column_at(self, time_ns: int) -> NDArray[np.float64]:
        """Return the items of the newest frame up to a time; all NaN if there is none."""
        number = int(np.searchsorted(self.time_ns, time_ns, side="right")) - 1
        return self.values[:, number] if number >= 0 else np.full(len(self.axis), np.nan)


def array_picture(
    meaning: Meaning, kind: int, array_id: UUID, field_id: UUID, first_ns: int, last_ns: int,
    progress: Progress | None = None,
) -> ArrayPicture:  # fmt: skip
    """Return a field of an array in a stretch; of very many frames some, evenly chosen.

    Raises
    ------
    MisuseError
        If nobody reads such an array here, or there are no frames in the stretch.
    """
    order = meaning.capture.order_of_kind(kind)
    begin, end = order.count_until(first_ns - 1), order.count_until(last_ns)
    step = max(-(-(end - begin) // _MOST_COLUMNS), 1)
    rows = order.rows(begin, end)[::step]
    if progress is not None:
        progress.check()
    for reader in meaning.kinds[kind].readers:
        frames = meaning.frames_of(kind, reader, meaning.capture.frames.gather(rows))
        if not len(frames):
            continue
        found = decode_frames(meaning.capture, meaning.plan(reader), frames).arrays.get(array_id)
        if found is None or field_id not in found.columns:
            continue
        column = found.columns[field_id]
        number = found.index[:, -1] if found.index.ndim > 1 else found.index
        items = min(int(number.max(initial=-1)) + 1, _MOST_ITEMS)
        values = np.full((items, len(frames)), np.nan)
        kept = number < items
        values[number[kept], found.frame[kept]] = column.plot_values()[kept]
        axis = np.arange(items, dtype=np.float64)
        if found.axis is not None and items:
            # every item where its last frame puts it: a step that changes moves all of them
            axis[number[kept]] = found.axis[kept]
        return ArrayPicture(
            values, axis, found.axis_name or "item", found.axis_unit, column.field.name, column.field.unit,
            frames.time_ns,
        )  # fmt: skip
    raise MisuseError("there is no such array in view.")
