"""What was sent and heard, on disk as it came and read back while it grows."""

import csv

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import AbacusError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.handover.frame_table import FRAME_SCHEMA
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


def rows_of(journal):
    return [row for table in journal.tables() for row in table.to_pylist()]


@given(batches=st.lists(st.lists(FRAME, min_size=1, max_size=20), max_size=4))
def test_what_was_added_is_there_while_it_grows_and_after(tmp_path_factory, batches):
    journal = Journal(tmp_path_factory.mktemp("journal") / "log.csv")
    came = []
    for unordered in batches:
        frames = sorted(unordered, key=lambda frame: frame[0])
        journal.append(batch_of(frames), LANES)
        came += frames
        assert [
            (row["time_ns"], bytes.fromhex(row["payload"]), row["address"], row["lane"]) for row in rows_of(journal)
        ] == [(time_ns, payload, address, LANES[lane].name) for time_ns, payload, address, _, lane in came]
    sent = [row["direction"] for row in rows_of(journal)]
    assert sent == [{0: "", F.SENT: "sent", F.RECEIVED: "received"}[flags] for _, _, _, flags, _ in came]
    assert journal.count == len(came)
    journal.close()


def test_who_reads_sees_what_was_there_when_they_asked(tmp_path):
    journal = Journal(tmp_path / "log.csv")
    journal.append(batch_of([(1, b"\x01", 0x10, 0, 2)]), LANES)
    asked = journal.tables()
    journal.append(batch_of([(2, b"\x02", 0x10, 0, 2)]), LANES)
    assert [row["time_ns"] for table in asked for row in table.to_pylist()] == [1]
    journal.close()


def test_texts_are_made_harmless_where_they_leave_as_a_spreadsheet_and_nowhere_else(tmp_path):
    journal = Journal(tmp_path / "log.csv")
    journal.append(batch_of([(1, b"\x01", 0x10, 0, 0)]), LANES)
    assert rows_of(journal)[0]["lane"].startswith("=1+1")
    export_tables(tmp_path / "out.csv", "csv", FRAME_SCHEMA, journal.tables())
    with (tmp_path / "out.csv").open(newline="") as file:
        (row,) = csv.DictReader(file)
    assert not row["lane"].startswith("=")
    journal.close()


def test_a_folder_that_is_gone_is_told(tmp_path):
    journal = Journal(tmp_path / "log.csv")
    (tmp_path / "log.csv").unlink()
    with pytest.raises(AbacusError, match="cannot be read"):
        journal.tables()
    journal.close()
    with pytest.raises(AbacusError, match="cannot be kept"):
        Journal(tmp_path / "away" / "log.csv")
