import json
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import assert_same_frames, frame_tables
from zesty_abacus.core.errors import DataError
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.store import CaptureStoreError, CaptureWriter, open_capture
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.progress import Cancelled, Progress

LANES = (Lane("thruster", "can", "CAN 500k"), Lane("battery"))


def small_table(times=(3, 1, 2)) -> FrameTable:
    n = len(times)
    return FrameTable(
        np.array(times, np.int64), np.zeros(n, np.uint16), np.arange(n, dtype=np.int64), np.zeros(n, np.uint32),
        np.arange(n, dtype=np.int64), np.ones(n, np.uint32), np.arange(n, dtype=np.uint8),
    )  # fmt: skip


def store_capture(capture: Capture, folder, **settings) -> Capture:
    with CaptureWriter(folder, **settings) as writer:
        writer.append(capture.in_order())
        return writer.finish(capture.lanes)


@given(frame_tables(), st.integers(1, 6))
def test_a_stored_capture_is_the_capture(tmp_path_factory, table, most):
    folder = tmp_path_factory.mktemp("store") / "capture"
    lanes = tuple(Lane(f"lane {number}") for number in range(8))
    kept = Capture.from_table(table, lanes)
    with CaptureWriter(folder, segment_frames=most) as writer:
        for first in range(0, len(table), 2):
            writer.append(table.rows(first, min(first + 2, len(table))))
        assert len(writer) == len(table)
        opened = writer.finish(lanes)
    assert_same_frames(opened.in_order(), kept.in_order())
    assert opened.lanes == lanes and set(opened.kinds.keys) == set(kept.kinds.keys)
    assert len(opened.segments) == -(-len(table) // (most + most % 2))


def test_what_is_written_so_far_is_a_capture_that_grows(tmp_path):
    with CaptureWriter(tmp_path / "c") as writer:
        writer.append(small_table((5, 6)))
        first = writer.so_far(LANES)
        writer.append(small_table((1, 9, 7)))
        second = writer.so_far(LANES, first)
        writer.append(small_table((2,)))
        whole = writer.finish(LANES)
    assert [list(one.in_order().time_ns) for one in (first, second)] == [[5, 6], [1, 5, 6, 7, 9]]
    assert list(whole.in_order().time_ns) == [1, 2, 5, 6, 7, 9]
    assert second.kinds.keys[: len(first.kinds.keys)] == first.kinds.keys
    assert [second.frames.at(row).payload for row in range(2)] == [first.frames.at(row).payload for row in range(2)]


def test_chunks_of_several_sources_come_out_in_order_of_time(tmp_path):
    with CaptureWriter(tmp_path / "c") as writer:
        writer.append(small_table((5, 6)))
        writer.append(small_table((1, 5)))
        capture = writer.finish(LANES)
    table = capture.in_order()
    assert list(table.time_ns) == [1, 5, 5, 6]
    assert [table.payload_of(row)[0] for row in range(4)] == [0, 0, 1, 1], "equal times keep their order"
    assert not (tmp_path / "c.part").exists()


def test_columns_are_mapped_not_copied(tmp_path):
    capture = store_capture(Capture.from_table(small_table(), LANES), tmp_path / "c")
    times = capture.segments[0].segment.table.time_ns
    assert not times.flags.owndata and not times.flags.writeable


def test_cancel_leaves_nothing_behind(tmp_path):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled), CaptureWriter(tmp_path / "c") as writer:
        writer.append(small_table())
        writer.finish(LANES, progress)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("name", ["capture.json", "0/frames.arrow", "0/payload.arrow", "0/kinds.arrow"])
@pytest.mark.parametrize("damage", ["missing", "empty", "cut", "noise"])
def test_a_damaged_store_is_an_error_with_its_place(tmp_path, name, damage):
    store_capture(Capture.from_table(small_table(), LANES), tmp_path / "c")
    path = tmp_path / "c" / name
    data = path.read_bytes()
    path.unlink()
    if damage != "missing":
        path.write_bytes({"empty": b"", "cut": data[: len(data) // 2], "noise": b"\xff" * len(data)}[damage])
    with pytest.raises(CaptureStoreError) as caught:
        open_capture(tmp_path / "c")
    assert name in str(caught.value)


def test_a_table_that_points_outside_its_payload_is_refused():
    table = small_table()
    broken = FrameTable(
        table.time_ns, table.lane, table.address, table.flags, table.start + 9, table.size, table.payload
    )
    with pytest.raises(DataError, match="outside"):
        Capture.from_table(broken, LANES)


def test_a_stored_capture_with_wild_pointers_is_refused(tmp_path):
    with CaptureWriter(tmp_path / "c") as writer:
        table = small_table()
        writer.append(
            FrameTable(
                table.time_ns, table.lane, table.address, table.flags, table.start + 10**12, table.size, table.payload
            )
        )
        with pytest.raises(DataError, match="outside"):
            writer.finish(LANES)


def test_a_full_disk_is_one_sentence(tmp_path):
    """A file-size limit stands in for a full disk: the write fails in the same place.

    What is imported under the limit must not be compiled to files: they would be cut off, and found by others.
    """
    code = (
        "import resource, signal, sys, pathlib\n"
        "sys.dont_write_bytecode = True\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (4096, 4096))\n"
        "from tests.frames.test_store import *\n"
        "try:\n"
        "    with CaptureWriter(pathlib.Path(sys.argv[1]) / 'c') as writer:\n"
        "        for _ in range(5000): writer.append(small_table())\n"
        "        writer.finish(LANES)\n"
        "except CaptureStoreError as error: print(error)\n"
    )
    run = subprocess.run([sys.executable, "-c", code, str(tmp_path)], capture_output=True, text=True, check=True)
    assert "cannot be stored" in run.stdout and "Free some space" in run.stdout
    assert list(tmp_path.iterdir()) == []


def test_a_store_of_another_version_is_refused(tmp_path):
    store_capture(Capture.from_table(small_table(), LANES), tmp_path / "c")
    path = tmp_path / "c" / "capture.json"
    path.write_text(json.dumps(json.loads(path.read_text()) | {"version": 7}))
    with pytest.raises(CaptureStoreError, match="no 'zesty-abacus capture' of version 4"):
        open_capture(tmp_path / "c")


@pytest.mark.parametrize(
    "damage", [{"bounds": [0]}, {"bounds": [0, 9, 3]}, {"keys": [[0, 0, 0], [9, 1, 0]]}, {"keys": []}]
)
def test_an_index_that_names_other_kinds_than_there_are_is_refused(tmp_path, damage):
    table = small_table()
    lanes = np.array([0, 1, 1], np.uint16)
    with CaptureWriter(tmp_path / "c") as writer:
        writer.append(
            FrameTable(table.time_ns, lanes, table.address, table.flags, table.start, table.size, table.payload)
        )
        writer.finish(LANES)
    path = tmp_path / "c" / "0" / "kinds.arrow"
    batch = pa.ipc.open_file(path).get_batch(0)
    meta = json.loads(batch.schema.metadata[b"zesty_abacus"]) | damage
    batch = batch.replace_schema_metadata({b"zesty_abacus": json.dumps(meta).encode()})
    with pa.ipc.new_file(path, batch.schema) as writer:
        writer.write_batch(batch)
    with pytest.raises(CaptureStoreError):
        open_capture(tmp_path / "c")


def test_many_kinds_are_asked_for_by_many_threads(tmp_path):
    """The rows of a kind in several segments are put together once and kept, whoever asks at the same moment."""
    table = small_table(tuple(range(300)))
    capture = store_capture(Capture.from_table(table, LANES), tmp_path / "c", segment_frames=100)
    twice = capture.grown(capture.segments)
    with ThreadPoolExecutor(8) as pool:
        found = list(pool.map(lambda turn: twice.kinds.rows(turn % 300).tolist(), range(6000)))
    assert found == [[turn % 300, 300 + turn % 300] for turn in range(6000)]
