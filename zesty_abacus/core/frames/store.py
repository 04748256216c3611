"""Captures on disk: Arrow IPC files that open by mapping them into memory.

A stored capture is a folder with ``capture.json``, which names its lanes and counts its segments, and a folder a
segment with three Arrow IPC files of one record batch each:

``frames.arrow``   time_ns, lane, address, flags, start, size, sorted by time
``payload.arrow``  one uint8 column with the bytes of all frames
``kinds.arrow``    the row numbers grouped by kind, and by lane if there are several; kinds and bounds in the metadata

One batch a file means that every column is one contiguous block, so a mapped file is a NumPy array without a copy.
Frames are spooled to plain files until a segment is full, which is then sorted, indexed and stored: whatever is as long
as the recording lies on disk, and memory and spool hold one segment.
"""

from __future__ import annotations

import contextlib
import json
import shutil
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from types import TracebackType
from typing import BinaryIO

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..errors import DataError
from ..progress import Progress
from .capture import Capture, Lane
from .kind_key import KindKey
from .kinds import KindIndex
from .segment import Placed, Segment
from .table import COLUMN_DTYPES, FrameTable

FORMAT = "zesty-abacus capture"
VERSION = 4
SEGMENT_FRAMES = 1 << 22
SEGMENT_BYTES = 1 << 28
"""A segment is full with this many frames, or bytes of payload."""
_META = b"zesty_abacus"
_HEAD = "capture.json"


class CaptureStoreError(DataError):
    """A stored capture that cannot be read or written."""


class CaptureWriter:
    """Writes a capture of any length, chunk by chunk.

    Use as a context manager; leaving it with an error removes what was written.

    Parameters
    ----------
    folder
        Where the finished capture will lie. It replaces what is there only when finished.
    segment_frames
        How many frames fill a segment.
    """

    def __init__(self, folder: Path, segment_frames: int = SEGMENT_FRAMES) -> None:
        self.folder = folder
        self._part = folder.with_name(folder.name + ".part")
        self._segment_frames = segment_frames
        self._files: dict[str, BinaryIO] = {}
        self._segments: list[Segment] = []
        self._payload_bytes = 0
        self._spooled = 0
        self._stored = 0

    def __enter__(self) -> CaptureWriter:
        with _disk_errors(self._part):
            shutil.rmtree(self._part, ignore_errors=True)
            (self._part / "done").mkdir(parents=True)
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        # what a full disk did not take fails once more on closing; it goes with the folder
        with contextlib.suppress(OSError):
            self._close()
        shutil.rmtree(self._part, ignore_errors=True)

    def __len__(self) -> int:
        return self._stored + self._spooled

    def append(self, chunk: FrameTable) -> None:
        """Add a chunk of frames whose ``start`` counts from the chunk's own payload.

        Raises
        ------
        CaptureStoreError
            If the disk does not take it.
        DataError
            If the columns of the frames do not belong together.
        """
        with _disk_errors(self._part):
            self._open()
            for name, dtype in COLUMN_DTYPES.items():
                column = getattr(chunk, name)
                if name == "start":
                    column = column + self._payload_bytes
                self._files[name].write(np.ascontiguousarray(column, dtype).data)
            self._files["payload"].write(np.ascontiguousarray(chunk.payload).data)
        self._payload_bytes += len(chunk.payload)
        self._spooled += len(chunk)
        if self._spooled >= self._segment_frames or self._payload_bytes >= SEGMENT_BYTES:
            self._store_segment()

    def so_far(self, lanes: Sequence[Lane], before: Capture | None = None) -> Capture:
        """Return a capture of what was written until now, which grows by segments; more can be written behind it.

        Parameters
        ----------
        before
            What an earlier call returned: its rows and kinds keep their numbers.

        Raises
        ------
        CaptureStoreError
            If the disk does not take it.
        """
        self._store_segment()
        known = len(before.segments) if before is not None else 0
        more = [_placed(segment, len(lanes), self.folder) for segment in self._segments[known:]]
        return before.grown(more, lanes) if before is not None else Capture.of_segments(more, lanes)

    def finish(self, lanes: Sequence[Lane], progress: Progress | None = None) -> Capture:
        """Store the last segment and the lanes, and open the capture.

        Raises
        ------
        CaptureStoreError
            If the disk does not take it.
        Cancelled
            If the progress was cancelled.
        """
        progress = progress or Progress()
        progress.step(0.0, "sorting by time")
        self._store_segment()
        progress.step(0.9, "storing")
        with _disk_errors(self.folder):
            done = self._part / "done"
            head = {"format": FORMAT, "version": VERSION, "segments": len(self._segments),
                    "lanes": [asdict(lane) for lane in lanes]}  # fmt: skip
            (done / _HEAD).write_text(json.dumps(head))
            shutil.rmtree(self.folder, ignore_errors=True)
            done.replace(self.folder)
        progress.step(1.0, "stored")
        # mapped already, and a mapped file stays where it is while its folder gets its name
        return self.so_far(lanes)

    def _store_segment(self) -> None:
        """Sort and index what is spooled, and put it away as one more segment."""
        with _disk_errors(self._part):
            self._close()
        if not self._spooled:
            return
        columns = {name: _map_raw(self._part / name, dtype) for name, dtype in COLUMN_DTYPES.items()}
        table = FrameTable(**columns, payload=_map_raw(self._part / "payload", np.dtype(np.uint8)))
        folder = self._part / "done" / str(len(self._segments))
        self._segments.append(stored_segment(folder, Segment.of(table)))
        self._stored += self._spooled
        self._spooled = self._payload_bytes = 0

    def _open(self) -> None:
        if not self._files:
            for name in (*COLUMN_DTYPES, "payload"):
                self._files[name] = (self._part / name).open("wb")

    def _close(self) -> None:
        while self._files:
            _, file = self._files.popitem()
            file.close()


def open_capture(folder: Path) -> Capture:
    """Map a stored capture into memory.

    Raises
    ------
    CaptureStoreError
        If a file is missing, cut off, of a newer version or not ours.
    """
    try:
        head = json.loads((folder / _HEAD).read_text())
        if not isinstance(head, dict) or (head.get("format"), head.get("version")) != (FORMAT, VERSION):
            raise ValueError(f"it is no {FORMAT!r} of version {VERSION}")
        lanes = [Lane(**lane) for lane in head["lanes"]]
        count = int(head["segments"])
    except (OSError, KeyError, TypeError, ValueError) as error:
        raise _unreadable(folder / _HEAD, error) from error
    segments = [open_segment(folder / str(number)) for number in range(count)]
    return Capture.of_segments([_placed(segment, len(lanes), folder / _HEAD) for segment in segments], lanes)


def stored_segment(folder: Path, segment: Segment) -> Segment:
    """Put a segment into a folder that is made for it, and return it mapped from there.

    Raises
    ------
    CaptureStoreError
        If the disk does not take it.
    """
    with _disk_errors(folder):
        folder.mkdir(parents=True)
        _write_segment(folder, segment)
    return open_segment(folder)


def open_segment(folder: Path) -> Segment:
    """Map a stored segment into memory; raises as :func:`open_capture`."""
    frames, _ = _open_batch(folder / "frames.arrow")
    payload, _ = _open_batch(folder / "payload.arrow")
    grouped, meta = _open_batch(folder / "kinds.arrow")
    try:
        columns = {name: _numpy(frames, name, dtype) for name, dtype in COLUMN_DTYPES.items()}
        table = FrameTable(**columns, payload=_numpy(payload, "payload", np.dtype(np.uint8)))
        keys = tuple(KindKey(*key) for key in meta["keys"])
        bounds = np.asarray(meta["bounds"], np.int64)
        kinds = KindIndex(keys, _numpy(grouped, "order", np.dtype(np.uint32)), bounds)
        table.check()
        if not _fits(kinds, table):
            raise ValueError("the index of kinds does not fit the frames")
        by_lane = None
        if len(kinds.lane_bounds) > 1:
            by_lane = _numpy(grouped, "by_lane", np.dtype(np.uint32))
            if not _is_inside(by_lane, table):
                raise ValueError("the index of lanes does not fit the frames")
    except (KeyError, TypeError, ValueError) as error:
        raise _unreadable(folder, error) from error
    return Segment(table, kinds, by_lane)


def _placed(segment: Segment, lanes: int, where: Path) -> Placed:
    if any(lane >= lanes for lane in segment.lanes):
        raise _unreadable(where, "a frame is on a lane that is not there")
    return Placed.as_recorded(segment, lanes)


def _unreadable(path: Path, why: object) -> CaptureStoreError:
    sentence = f"this part of the stored capture cannot be read ({why})."
    return CaptureStoreError(sentence, where=str(path), hint="Bring the recording in again.")


def _fits(kinds: KindIndex, table: FrameTable) -> bool:
    """Whether an index names rows of the table only; the kernels rely on it and look no further."""
    bounds = kinds.bounds
    return (
        _is_inside(kinds.order, table)
        and len(bounds) == len(kinds.keys) + 1
        and bounds[0] == 0
        and bounds[-1] == len(table)
        and bool((np.diff(bounds) >= 0).all())
    )


def _is_inside(rows: NDArray[np.uint32], table: FrameTable) -> bool:
    return len(rows) == len(table) and int(rows.max(initial=0)) < max(len(table), 1)


def _write_segment(folder: Path, segment: Segment) -> None:
    table, kinds = segment.table, segment.kinds
    _write_batch(folder / "frames.arrow", {name: getattr(table, name) for name in COLUMN_DTYPES}, {})
    _write_batch(folder / "payload.arrow", {"payload": table.payload}, {})
    keys = [[key.lane, key.address, key.flags] for key in kinds.keys]
    grouped = {"order": kinds.order} | ({"by_lane": segment.by_lane} if segment.by_lane is not None else {})
    _write_batch(folder / "kinds.arrow", grouped, {"keys": keys, "bounds": kinds.bounds.tolist()})


def _write_batch(path: Path, columns: dict[str, NDArray], meta: dict) -> None:
    arrays = [pa.array(column) for column in columns.values()]
    schema = pa.schema(
        [(name, array.type) for name, array in zip(columns, arrays, strict=True)],
        metadata={_META: json.dumps(meta).encode()},
    )
    with pa.OSFile(str(path), "wb") as sink, pa.ipc.new_file(sink, schema) as writer:
        writer.write_batch(pa.record_batch(arrays, schema=schema))


def _open_batch(path: Path) -> tuple[pa.RecordBatch, dict]:
    try:
        reader = pa.ipc.open_file(pa.memory_map(str(path), "r"))
        batch = reader.get_batch(0)
        return batch, json.loads((reader.schema.metadata or {}).get(_META, b"{}"))
    except (OSError, pa.ArrowInvalid, IndexError, ValueError) as error:
        raise _unreadable(path, error) from error


def _numpy(batch: pa.RecordBatch, name: str, dtype: np.dtype) -> NDArray:
    array = batch.column(name).to_numpy(zero_copy_only=True)
    if array.dtype != dtype:
        raise ValueError(f"column {name} is {array.dtype}, expected {dtype}")
    return array


def _map_raw(path: Path, dtype: np.dtype) -> NDArray:
    if path.stat().st_size == 0:
        return np.empty(0, dtype)
    return np.memmap(path, dtype, mode="r")


@contextlib.contextmanager
def _disk_errors(path: Path):  # type: ignore[no-untyped-def]
    try:
        yield
    except OSError as error:
        raise CaptureStoreError(
            f"the capture cannot be stored ({error.strerror or error}).",
            where=str(path),
            hint="Free some space or choose another folder.",
        ) from error
