"""What was sent and heard, on disk as it came and read back while it grows."""

import csv

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import AbacusError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames import growing
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.handover.frame_table import FRAME_SCHEMA, frame_table
from zesty_abacus.core.handover.writers import export_tables
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.live.journal import Journal

LANES = [Lane('=1+1, "quoted"\nname', "can"), Lane("", "can"), Lane("N/A", "can")]
FRAME = st.tuples(
    st.integers(0, 2**62), st.binary(max_size=8), st.integers(0, 0x7FF), st.sampled_from([0, F.SENT, F.RECEIVED]),
    st.integers(0, len(LANES) - 1),
)  # fmt: skip


def batch_of(frames):
    batch = Batch()
    for frame in frames:
        batch.add(*frame)
    return batch.table()


def rows_of(capture):
    return [row for block in frame_table(capture) for table in block.tables() for row in table.to_pylist()]


@given(batches=st.lists(st.lists(FRAME, min_size=1, max_size=20), max_size=4))
def test_what_was_added_is_there_while_it_grows_in_order_of_time(tmp_path_factory, batches):
    journal = Journal(tmp_path_factory.mktemp("journal"))
    came = []
    for unordered in batches:
        frames = sorted(unordered, key=lambda frame: frame[0])
        journal.append(batch_of(frames), LANES)
        came = sorted([*came, *frames], key=lambda frame: frame[0])
        rows = rows_of(journal.capture())
        assert [(row["time_ns"], bytes.fromhex(row["payload"]), row["address"], row["lane"]) for row in rows] == [
            (time_ns, payload, address, LANES[lane].name) for time_ns, payload, address, _, lane in came
        ]
        assert [row["direction"] for row in rows] == [
            {0: "", F.SENT: "sent", F.RECEIVED: "received"}[flags] for _, _, _, flags, _ in came
        ]
    assert journal.count == len(came)


def test_who_reads_sees_what_was_there_when_they_asked(tmp_path):
    journal = Journal(tmp_path)
    journal.append(batch_of([(1, b"\x01", 0x10, 0, 2)]), LANES)
    asked = journal.capture()
    journal.append(batch_of([(2, b"\x02", 0x10, 0, 2)]), LANES)
    assert [row["time_ns"] for row in rows_of(asked)] == [1]


def test_lanes_may_come_later(tmp_path):
    journal = Journal(tmp_path)
    journal.append(batch_of([(1, b"\x01", 0x10, 0, 0)]), LANES[:1])
    journal.append(batch_of([(2, b"\x02", 0x10, 0, 2)]), LANES)
    assert [row["lane"] for row in rows_of(journal.capture())] == [LANES[0].name, "N/A"]


def test_texts_are_made_harmless_where_they_leave_as_a_spreadsheet_and_nowhere_else(tmp_path):
    journal = Journal(tmp_path / "journal")
    journal.append(batch_of([(1, b"\x01", 0x10, 0, 0)]), LANES)
    assert rows_of(journal.capture())[0]["lane"].startswith("=1+1")
    export_tables(tmp_path / "out.csv", "csv", FRAME_SCHEMA, frame_table(journal.capture()))
    with (tmp_path / "out.csv").open(newline="") as file:
        (row,) = csv.DictReader(file)
    assert not row["lane"].startswith("=")


def test_a_folder_that_takes_nothing_is_told(tmp_path, monkeypatch):
    monkeypatch.setattr(growing, "_FULL", 1)
    monkeypatch.setattr(growing, "_TOGETHER", 2)
    monkeypatch.setattr(growing, "_ON_DISK", 2)
    (tmp_path / "file").write_text("in the way")
    journal = Journal(tmp_path / "file")
    journal.append(batch_of([(1, b"", 0x10, 0, 0)]), LANES)
    with pytest.raises(AbacusError, match="cannot be stored"):
        journal.append(batch_of([(2, b"", 0x10, 0, 0)]), LANES)
