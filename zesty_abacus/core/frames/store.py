"""Captures on disk: Arrow IPC files that open by mapping them into memory.

A stored capture is a folder with three Arrow IPC files of one record batch each:

``frames.arrow``   time_ns, lane, address, flags, start, size, sorted by time; lanes in the metadata
``payload.arrow``  one uint8 column with the bytes of all frames
``kinds.arrow``    the row numbers grouped by kind; the kinds and their bounds in the metadata

One batch a file means that every column is one contiguous block, so a mapped file is a NumPy array
without a copy. Columns are first spooled to plain files while recordings are read, so writing never
holds more than one chunk in memory.
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
from .capture import Capture, Lane, is_sorted, take_rows
from .kind_key import KindKey
from .kinds import KindIndex, index_kinds
from .table import COLUMN_DTYPES, FrameTable

FORMAT = "zesty-abacus capture"
VERSION = 1
_META = b"zesty_abacus"


class CaptureStoreError(DataError):
    """A stored capture that cannot be read or written."""


class CaptureWriter:
    """Writes a capture of any length, chunk by chunk.

    Use as a context manager; leaving it with an error removes what was spooled.

    Parameters
    ----------
    folder
        Where the finished capture will lie. It replaces what is there only when finished.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._spool = folder.with_name(folder.name + ".part")
        self._files: dict[str, BinaryIO] = {}
        self._payload_bytes = 0
        self._frames = 0

    def __enter__(self) -> CaptureWriter:
        with _disk_errors(self._spool):
            shutil.rmtree(self._spool, ignore_errors=True)
            self._spool.mkdir(parents=True)
            for name in (*COLUMN_DTYPES, "payload"):
                self._files[name] = open(self._spool / name, "wb")
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        # what a full disk did not take fails once more on closing; it goes with the folder
        with contextlib.suppress(OSError):
            self._close()
        shutil.rmtree(self._spool, ignore_errors=True)

    def __len__(self) -> int:
        return self._frames

    def append(self, chunk: FrameTable) -> None:
        """Add a chunk of frames whose ``start`` counts from the chunk's own payload.

        Raises
        ------
        CaptureStoreError
            If the disk does not take it.
        """
        with _disk_errors(self._spool):
            for name, dtype in COLUMN_DTYPES.items():
                column = getattr(chunk, name)
                if name == "start":
                    column = column + self._payload_bytes
                self._files[name].write(np.ascontiguousarray(column, dtype).data)
            self._files["payload"].write(np.ascontiguousarray(chunk.payload).data)
        self._payload_bytes += len(chunk.payload)
        self._frames += len(chunk)

    def finish(self, lanes: Sequence[Lane], progress: Progress | None = None) -> Capture:
        """Sort by time, index the kinds, write the Arrow files and open them.

        Raises
        ------
        CaptureStoreError
            If the disk does not take it.
        Cancelled
            If the progress was cancelled.
        """
        progress = progress or Progress()
        with _disk_errors(self._spool):
            self._close()
        progress.step(0.0, "sorting by time")
        table = self._mapped_table()
        table.check()
        if not is_sorted(table.time_ns):
            table = take_rows(table, np.argsort(table.time_ns, kind="stable"))
        progress.step(0.4, "indexing kinds")
        kinds = index_kinds(table)
        progress.step(0.6, "storing")
        with _disk_errors(self.folder):
            done = self._spool / "done"
            done.mkdir()
            _write_capture(done, table, kinds, lanes)
            shutil.rmtree(self.folder, ignore_errors=True)
            done.replace(self.folder)
        progress.step(1.0, "stored")
        return open_capture(self.folder)

    def _mapped_table(self) -> FrameTable:
        columns = {name: _map_raw(self._spool / name, dtype) for name, dtype in COLUMN_DTYPES.items()}
        return FrameTable(**columns, payload=_map_raw(self._spool / "payload", np.dtype(np.uint8)))

    def _close(self) -> None:
        while self._files:
            _, file = self._files.popitem()
            file.close()


def store_capture(capture: Capture, folder: Path) -> Capture:
    """Store a capture that lives in memory and open the stored form."""
    with CaptureWriter(folder) as writer:
        writer.append(capture.table)
        return writer.finish(capture.lanes)


def open_capture(folder: Path) -> Capture:
    """Map a stored capture into memory.

    Raises
    ------
    CaptureStoreError
        If a file is missing, cut off, of a newer version or not ours.
    """
    frames, meta = _open_batch(folder / "frames.arrow")
    payload, _ = _open_batch(folder / "payload.arrow")
    grouped, kinds_meta = _open_batch(folder / "kinds.arrow")
    if meta.get("format") != FORMAT or meta.get("version") != VERSION:
        raise CaptureStoreError(
            f"format={meta.get('format')!r} version={meta.get('version')!r}, expected {FORMAT!r} {VERSION}.",
            where=str(folder),
        )
    try:
        columns = {name: _numpy(frames, name, dtype) for name, dtype in COLUMN_DTYPES.items()}
        table = FrameTable(**columns, payload=_numpy(payload, "payload", np.dtype(np.uint8)))
        keys = tuple(KindKey(*key) for key in kinds_meta["keys"])
        bounds = np.asarray(kinds_meta["bounds"], np.int64)
        kinds = KindIndex(keys, _numpy(grouped, "order", np.dtype(np.uint32)), bounds)
        lanes = tuple(Lane(**lane) for lane in meta["lanes"])
        table.check()
        if not _fits(kinds, table):
            raise ValueError("the index of kinds does not fit the frames")
    except (KeyError, TypeError, ValueError) as error:
        raise CaptureStoreError(f"a column or a note is missing ({error}).", where=str(folder)) from error
    return Capture(table, lanes, kinds, folder)


def _fits(kinds: KindIndex, table: FrameTable) -> bool:
    """Whether an index names rows of the table only; the kernels rely on it and look no further."""
    bounds = kinds.bounds
    return (
        len(kinds.order) == len(table)
        and len(bounds) == len(kinds.keys) + 1
        and bounds[0] == 0
        and bounds[-1] == len(table)
        and bool((np.diff(bounds) >= 0).all())
        and int(kinds.order.max(initial=0)) < max(len(table), 1)
    )


def _write_capture(folder: Path, table: FrameTable, kinds: KindIndex, lanes: Sequence[Lane]) -> None:
    meta = {"format": FORMAT, "version": VERSION, "lanes": [asdict(lane) for lane in lanes]}
    _write_batch(folder / "frames.arrow", {name: getattr(table, name) for name in COLUMN_DTYPES}, meta)
    _write_batch(folder / "payload.arrow", {"payload": table.payload}, {})
    keys = [[key.lane, key.address, key.flags] for key in kinds.keys]
    _write_batch(folder / "kinds.arrow", {"order": kinds.order}, {"keys": keys, "bounds": kinds.bounds.tolist()})


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
        raise CaptureStoreError(
            f"this part of the stored capture cannot be read ({error}).",
            where=str(path),
            hint="Bring the recording in again.",
        ) from error


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
