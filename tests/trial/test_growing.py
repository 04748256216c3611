"""An open trial that grows by what is recorded live."""

from __future__ import annotations

from uuid import UUID

import numpy as np
import pytest

from tests.frames.test_growing import LANES, table_of
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.density import GrowingDensity, lane_density
from zesty_abacus.core.layouts.applies import Applies
from zesty_abacus.core.layouts.model import Layout
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.trial.content import LaneEntry
from zesty_abacus.core.trial.growing import GrowingCapture

OTHER = [Lane("b"), Lane("c", "modbus"), Lane("a", "modbus")]


@pytest.fixture
def base():
    return Capture.from_table(table_of([10, 20, 30]), LANES)


def table_on(times, lanes):
    table = table_of(times, 3)
    table.lane[:] = lanes
    return table


def test_lanes_go_by_name_and_what_speaks_otherwise_gets_one_of_its_own(base, tmp_path):
    growing = GrowingCapture(base, {}, tmp_path)
    growing.add(table_on([100, 101, 102], [0, 1, 2]), OTHER)
    capture = growing.capture()
    assert [lane.name for lane in capture.lanes] == ["a", "b", "c", "a Modbus"]
    assert [capture.lanes[capture.frames.at(row).lane].name for row in (3, 4, 5)] == ["b", "c", "a Modbus"]
    assert capture.has_grown_from(base)
    assert growing.live_span() == (100, 102)


def test_a_lane_is_put_where_the_trial_says(base, tmp_path):
    entries = {"b": LaneEntry(name="b", offset_ns=-7, note="behind the gateway")}
    growing = GrowingCapture(base, entries, tmp_path)
    growing.add(table_on([100], [0]), OTHER)
    capture = growing.capture()
    assert capture.frames.at(3).time_ns == 93
    growing.add(table_on([200], [1]), OTHER)
    assert growing.capture().lanes[1].note == "", "a lane that is there keeps what it is called"
    assert growing.live_span() == (93, 200)


def test_it_goes_on_behind_other_recordings(base, tmp_path):
    growing = GrowingCapture(base, {}, tmp_path)
    growing.add(table_on([100, 110], [0, 0]), OTHER)
    before = growing.capture()
    more = Capture.from_table(table_of([10, 20, 30, 40, 50]), LANES)
    growing.stand_on(more, {})
    after = growing.capture()
    assert len(after) == 7 and after.has_grown_from(more) and not after.has_grown_from(before)
    assert growing.capture() is after, "nothing has come"


def test_before_anything_came_it_is_what_it_stands_on(base, tmp_path):
    growing = GrowingCapture(base, {}, tmp_path)
    assert growing.capture() is base and growing.live_span() is None


def test_kinds_that_come_are_matched_and_the_others_keep_what_they_mean(base, tmp_path):
    layouts = [
        Layout(id=UUID(int=address), name=f"message {address:X}", size=8, applies=Applies(address=address))
        for address in range(0x100, 0x109)
    ]
    meaning = Meaning.of(base, layouts)
    growing = GrowingCapture(base, {}, tmp_path)
    table = table_on([100, 101, 102], [0, 0, 0])
    table.address[:] = 0x106, 0x107, 0x777
    growing.add(table, LANES)
    capture = growing.capture()
    grown = meaning.grown_to(capture)
    assert grown.kinds[: len(meaning.kinds)] == meaning.kinds
    once = Meaning.of(capture, layouts)
    names = [[reader.layout.name for reader in kind.readers] for kind in grown.kinds]
    assert names == [[reader.layout.name for reader in kind.readers] for kind in once.kinds]
    assert names[-3:] == [["message 106"], ["message 107"], []]
    assert grown.has_grown_from(meaning) and not once.has_grown_from(meaning)
    # an edit afterwards reaches old and new kinds alike
    gone = grown.changed({layouts[6].id: None})
    assert [one.layout.name for one in gone.kinds[-3].readers] == []


def test_frames_are_counted_alike_whether_they_come_at_once_or_in_parts():
    rng = np.random.default_rng(5)
    times = np.sort(rng.integers(0, 40_000_000_000, 5000))
    lanes = rng.integers(0, 3, 5000).astype(np.uint16)
    parts = GrowingDensity(0, 16)
    for part in np.array_split(np.arange(5000), 77):
        parts.add(lanes[part], times[part])
    counts = parts.counts(4)
    assert counts.shape[0] == 4 and 16 <= counts.shape[1] <= 32 and not counts[3].any()
    for lane in range(3):
        np.testing.assert_array_equal(counts[lane], np.histogram(
            times[lanes == lane], np.arange(counts.shape[1] + 1) * parts.part_ns)[0])  # fmt: skip


def test_the_density_of_a_stretch_leaves_out_what_lies_outside(base):
    assert lane_density(base, 4, (15, 30)).sum() == 2
    assert lane_density(base, 4).sum() == 3
    assert lane_density(base, 4, (11, 19)).sum() == 0
