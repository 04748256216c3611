"""Several endpoints at once, conditions watched while frames come, and what is written of them."""

import json
import threading
import time
from pathlib import Path

import msgspec
import numpy as np
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.live.wire import Wire
from tests.rehearse.messages import throttle
from tests.steady import KEEPS_TIME
from zesty_abacus.core.captures.registry import read_recording
from zesty_abacus.core.conditions.bind import Known, bind
from zesty_abacus.core.conditions.hits import find
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.files.errors import FileError
from zesty_abacus.core.files.writing import Target
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.live.armed import Armed
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.live.endpoint import Outgoing
from zesty_abacus.core.live.errors import EndpointError
from zesty_abacus.core.live.receiving import Receiving
from zesty_abacus.core.live.record import record
from zesty_abacus.core.live.sinks import TableSink, TrialSink, open_sink
from zesty_abacus.core.live.watch import Watch
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.trial.intake import open_trial_capture
from zesty_abacus.core.trial.trial import Trial

pytestmark = KEEPS_TIME


def _table(frames):
    batch = Batch()
    for frame in frames:
        batch.add(*frame)
    return batch.table()


def _all(receiving, count, patience_s=60.0):
    tables, until = [], time.monotonic() + patience_s
    while sum(map(len, tables)) < count and time.monotonic() < until:
        tables.append(receiving.take(0.05))
    return FrameTable.joined(tables).by_time()


def test_frames_of_several_endpoints_come_in_order_of_time_on_their_own_lanes():
    one, two = Wire("one"), Wire("two")
    with Receiving([one, two]) as receiving:
        for number in range(50):
            (one, two)[number % 2].put(bytes((number,)))
            time.sleep(0.0005)
        table = _all(receiving, 50)
        assert [lane.name for lane in receiving.lanes] == ["one", "two"]
    assert [table.payload_of(row)[0] for row in range(50)] == list(range(50))
    assert table.lane.tolist() == [0, 1] * 25


def test_lanes_of_one_name_are_told_apart():
    with Receiving([Wire("bus"), Wire("bus")]) as receiving:
        assert [lane.name for lane in receiving.lanes] == ["bus", "bus 2"]


def test_what_is_sent_stands_among_what_comes():
    wire = Wire(answer=lambda frame: [(0.0, b"back", 0x101)])
    with Receiving([wire]) as receiving:
        receiving.send(0, Outgoing(b"there", 0x100))
        table = _all(receiving, 2)
    assert [(int(f) & (F.SENT | F.RECEIVED), table.payload_of(row)) for row, f in enumerate(table.flags)] == [
        (F.SENT, b"there"), (F.RECEIVED, b"back"),
    ]  # fmt: skip


def test_an_endpoint_that_is_lost_is_told_kept_trying_and_loses_nothing_that_came():
    wire, other = Wire("wire"), Wire("other")
    with Receiving([wire, other]) as receiving:
        wire.put(b"before")
        _all(receiving, 1)
        wire.is_down = True
        other.put(b"meanwhile")
        assert _all(receiving, 1).payload_of(0) == b"meanwhile"
        told, until = receiving.news(), time.monotonic() + 60
        while not told and time.monotonic() < until:
            time.sleep(0.02)
            told = receiving.news()
        wire.is_down = False
        while wire.opened < 2 and time.monotonic() < until:
            time.sleep(0.02)
        wire.put(b"after")
        assert _all(receiving, 1).payload_of(0) == b"after"
        told = [*told, *receiving.news()]
    assert [one.is_down for one in told] == [True, False]
    assert "the cable is out" in told[0].sentence


def test_one_that_cannot_be_opened_leaves_none_open():
    wire = Wire("broken")
    wire.is_down = True
    with pytest.raises(EndpointError, match="the cable is out"), Receiving([Wire("good"), wire]):
        pass


frames = st.lists(
    st.tuples(st.integers(0, 3), st.sampled_from([0x100, 0x101]), st.binary(min_size=1, max_size=3)),
    min_size=1, max_size=40,
)  # fmt: skip


@given(frames, st.sampled_from([
    "size == 2", "changes(at(B0))", "gap > 2 ms", "address == 0x101 then address == 0x100 within 3 ms",
    "at(B0) > 100 and size > 1",
]), st.integers(1, 7))  # fmt: skip
def test_a_condition_watched_in_pieces_holds_where_it_holds_in_the_whole(gaps, condition, piece):
    times = np.cumsum([gap for gap, _, _ in gaps]) * 1_000_000
    table = _table(
        [(int(t), payload, address, F.RECEIVED) for t, (_, address, payload) in zip(times, gaps, strict=True)]
    )
    lanes = [Lane("bus")]
    capture = Capture.from_table(table, lanes)
    wanted = sorted(find(Meaning.of(capture, []), bind(condition, Known(["bus"]))).rows.tolist())
    watch, found = Watch(condition, ["bus"]), []
    for first in range(0, len(table), piece):
        part = table.rows(first, first + piece).compact()
        found += [first + row for row in watch.holds_in(part, lanes)]
    assert found == wanted


def test_a_long_watch_forgets_what_it_need_not_know(monkeypatch):
    monkeypatch.setattr("zesty_abacus.core.live.watch._WHOLE", 200)
    monkeypatch.setattr("zesty_abacus.core.live.watch._OF_A_KIND", 5)
    watch, lanes = Watch("changes(at(B0))", ["bus"]), [Lane("bus")]
    found = []
    for block in range(40):
        rows = [(block * 100 + n, bytes((block // 10,)), 0x100 + n % 3, F.RECEIVED) for n in range(30)]
        found += [block * 30 + row for row in watch.holds_in(_table(rows), lanes)]
    assert found == [block * 30 + row for block in (10, 20, 30) for row in range(3)]
    assert len(watch._before) < 300


@pytest.mark.parametrize("name", ["a.log", "a.pcapng", "a.pcap", "a.csv", "a.jsonl", "a.parquet"])
def test_what_is_recorded_is_what_came(tmp_path, name):
    wire, stopped = Wire("bus"), threading.Event()
    sent = [(bytes((n, n + 1)), 0x100 + n, F.RECEIVED) for n in range(20)] + [
        (bytes(12), 0x1ABCDEF0, F.EXTENDED | F.LONG | F.RECEIVED)
    ]

    def put():
        for payload, address, flags in sent:
            wire.put(payload, address, flags=flags)
        time.sleep(0.3)
        stopped.set()

    done = record([wire], lambda live: open_sink(Target(tmp_path / name), live.lanes), stopped,
                  ready=lambda: threading.Thread(target=put).start())  # fmt: skip
    assert done.frames == 21
    path = tmp_path / name
    if name.endswith("parquet"):
        rows = pq.read_table(path).to_pylist()
        assert [row["payload"] for row in rows] == [payload.hex().upper() for payload, _, _ in sent]
    elif name.endswith("jsonl"):
        rows = [json.loads(line) for line in path.read_text().splitlines()]
        assert [row["address"] for row in rows] == [address for _, address, _ in sent]
    else:
        tables = []
        read_recording(path, lambda chunk, _names: tables.append(chunk))
        table = FrameTable.joined(tables).by_time()
        assert [table.payload_of(row) for row in range(len(table))] == [payload for payload, _, _ in sent]
        assert table.address.tolist() == [address for _, address, _ in sent]


def test_the_frame_that_fulfils_the_condition_is_the_last_one(tmp_path):
    wire = Wire("bus")

    def put():
        for number in range(10):
            wire.put(bytes((number,)))

    done = record([wire], lambda live: open_sink(Target(tmp_path / "a.csv"), live.lanes), threading.Event(),
                  arm=lambda live: Armed(Watch("at(B0) == 6", ["bus"])), for_ns=5_000_000_000,
                  ready=lambda: threading.Thread(target=put).start())  # fmt: skip
    assert done.hits == 1
    lines = (tmp_path / "a.csv").read_text().splitlines()[1:]
    assert [line.split(",")[6] for line in lines] == [f"{number:02X}" for number in range(7)]


@pytest.mark.parametrize(
    ("before_s", "after_s", "first", "last"),
    [(None, 0.0, 0, 10), (0.1, 0.0, 8, 10), (0.1, 0.08, 8, 12), (None, 0.08, 0, 12)],
)
def test_an_armed_recording_keeps_what_lies_around_its_condition(tmp_path, before_s, after_s, first, last):
    wire, begin = Wire("bus"), time.time()

    def put():
        for number in range(16):
            time.sleep(max(begin + number * 0.04 - time.time(), 0))
            wire.put(bytes((number,)))

    begin = time.time() + 0.1
    done = record([wire], lambda live: open_sink(Target(tmp_path / "a.csv"), live.lanes), threading.Event(),
                  arm=lambda live: Armed(Watch("at(B0) == 10", ["bus"]),
                                         None if before_s is None else round(before_s * 1e9), round(after_s * 1e9)),
                  for_ns=5_000_000_000,
                  ready=lambda: threading.Thread(target=put).start())  # fmt: skip
    values = [int(line.split(",")[6], 16) for line in (tmp_path / "a.csv").read_text().splitlines()[1:]]
    assert values == list(range(values[0], values[-1] + 1))
    assert abs(values[0] - first) <= (0 if before_s is None else 1)
    assert abs(values[-1] - last) <= (0 if not after_s else 1)
    assert (done.hits, done.frames) == (1, len(values))


def test_an_armed_recording_that_is_stopped_has_the_last_seconds():
    from zesty_abacus.core.live.ring import Ring

    ring = Ring(1000)
    for block in range(10):
        ring.add(_table([(block * 500 + n * 100, bytes((block,)), 1, 0) for n in range(5)]))
    kept = ring.taken()
    assert kept.time_ns.tolist() == list(range(3900, 5000, 100))
    assert len(ring.taken()) == 0


def test_a_recording_is_on_disk_while_it_goes_on(tmp_path):
    wire, stopped, seen = Wire("bus"), threading.Event(), []

    def look():
        wire.put(b"\xab\xcd")
        until = time.monotonic() + 60
        while not seen and time.monotonic() < until:
            seen.extend(line for line in (tmp_path / "a.csv").read_text().splitlines() if "ABCD" in line)
            time.sleep(0.02)
        stopped.set()

    record([wire], lambda live: open_sink(Target(tmp_path / "a.csv"), live.lanes), stopped,
           ready=lambda: threading.Thread(target=look).start())  # fmt: skip
    assert len(seen) == 1


def test_what_is_there_is_not_written_over_and_other_lanes_are_not_can(tmp_path):
    (tmp_path / "a.csv").write_text("mine")
    with pytest.raises(FileError):
        open_sink(Target(tmp_path / "a.csv"), [Lane("bus")])
    assert (tmp_path / "a.csv").read_text() == "mine"
    with pytest.raises(MisuseError, match="none of CAN"):
        open_sink(Target(tmp_path / "a.log"), [Lane("wire", "serial")])
    with pytest.raises(MisuseError, match="nothing is recorded as"):
        open_sink(Target(tmp_path / "a.docx"), [Lane("bus")])


def test_a_trial_takes_each_lane_with_what_it_speaks_and_grows(tmp_path):
    lanes = [Lane("bus"), Lane("shore", "modbus"), Lane("other bus")]
    for second in range(2):
        sink = TrialSink(tmp_path / "run")
        sink.append(_table([
            (1_700_000_000_000_000_000 + second, b"\1", 0x100, F.RECEIVED, 0),
            (1_700_000_000_000_000_001 + second, b"\0\2", 1 << 24 | 3 << 16, F.SENT, 1),
            (1_700_000_000_000_000_002 + second, b"\2", 0x101, F.RECEIVED, 2),
        ]), lanes)  # fmt: skip
        sink.close()
        time.sleep(1.05 if second == 0 else 0)
    made = open_trial_capture(Trial.open(tmp_path / "run"))
    assert {(lane.name, lane.protocol) for lane in made.capture.lanes} == {
        ("bus", "can"), ("shore", "modbus"), ("other bus", "can"),
    }  # fmt: skip
    assert len(made.capture) == 6


def test_fields_of_a_library_may_be_watched():
    watch = Watch("speed > 3 kn", ["bus"], [throttle()])
    table = _table([(n, bytes((0, n)), 0x123, F.RECEIVED) for n in range(20, 40, 5)])
    assert watch.holds_in(table, [Lane("bus")]) == [3], "35 tenths"
    with pytest.raises(MisuseError):
        Watch("depth > 3", ["bus"], [throttle()])


def test_a_lane_on_which_nothing_is_heard_leaves_no_recording(tmp_path):
    lanes = [Lane("bus"), Lane("shore", "modbus")]
    sink = TrialSink(tmp_path / "run")
    sink.append(_table([(1_700_000_000_000_000_000, b"\1", 0x100, F.RECEIVED, 0)]), lanes)
    sink.close()
    trial = Trial.open(tmp_path / "run")
    assert [Path(entry.path).suffix for entry in trial.file.sources] == [".log"]
    assert not list((tmp_path / "run").glob("shore*"))


def test_a_recording_that_was_ended_before_its_first_frame_is_one_of_no_frames(tmp_path):
    table = TableSink(tmp_path / "empty.csv", "csv")
    table.close()
    (tmp_path / "run").mkdir()
    trial = Trial.create(tmp_path / "run", "run")
    trial.save(msgspec.structs.replace(trial.file, sources=(trial.entry_for(tmp_path / "empty.csv"),)))
    made = open_trial_capture(trial)
    assert [outcome.error for outcome in made.outcomes] == [""] and len(made.capture) == 0
