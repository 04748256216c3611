"""The layouts of the lanes beside CAN against what the devices were told to send, kept apart as truth."""

from __future__ import annotations

import csv

import numpy as np
import pytest

from zesty_abacus.core.codec.columns import CheckState
from zesty_abacus.core.codec.wording import frame_sentence, value_text
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.activity import capture_activity
from zesty_abacus.core.layouts.json_form import layouts_from_file
from zesty_abacus.core.layouts.model import FieldKind, Group, Repeat, Space, rewrite
from zesty_abacus.core.reading.explained import Explained, explain
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.trial.intake import open_trial_capture
from zesty_abacus.demo.simulator import START_NS
from zesty_abacus.demo.trial import SHIPPED, copy_shipped_trial


@pytest.fixture(scope="module")
def capture(tmp_path_factory):
    return open_trial_capture(copy_shipped_trial(tmp_path_factory.mktemp("lanes") / "yuzu")).capture


@pytest.fixture(scope="module")
def layouts():
    return layouts_from_file(SHIPPED / "layouts.json")


def reading_of(capture, layouts, name):
    """Return frames and values of the first kind that a layout reads and that carries something."""
    meaning = Meaning.of(capture, layouts)
    for kind in range(len(capture.kinds.keys)):
        for reader, frames, decoded in meaning.decoded(kind, capture.kind_frames(kind)):
            if reader.layout.name == name and capture.kind_size(kind):
                return frames, decoded
    raise AssertionError(f"{name} reads nothing")


def seconds(frames):
    return (frames.time_ns - START_NS) / 1e9


def true_column(name, times):
    with (SHIPPED / "truth" / "values.csv").open() as file:
        rows = list(csv.DictReader(file))
    return np.interp(times, [float(row["time_s"]) - START_NS / 1e9 for row in rows], [float(row[name]) for row in rows])


def test_the_shore_meter_counts_and_its_power_is_the_sum_of_its_phases(capture, layouts):
    _, energy = reading_of(capture, layouts, "Shore energy")
    counted = energy.named("energy").value
    assert counted[0] == 1_284_001 and (np.diff(counted.astype(np.int64)) >= 0).all()
    _, meter = reading_of(capture, layouts, "Shore meter")
    phases = [
        meter.named(f"voltage {n}").value * meter.named(f"current {n}").value for n in (1, 2, 3)
    ]  # fmt: skip
    assert meter.named("power").value == pytest.approx(sum(phases))
    frames, states = reading_of(capture, layouts, "Shore states")
    charging = (seconds(frames) % 120 >= 60) & (seconds(frames) % 120 < 102)
    assert (states.named("charging").raw.astype(bool) == charging)[2:-2].mean() > 0.97


def test_the_valve_island_says_what_it_was_told(capture, layouts):
    frames, found = reading_of(capture, layouts, "Valve island")
    assert found.named("pressure").value == pytest.approx(82 + 6 * np.sin(seconds(frames) / 9), abs=0.35)
    frames, valves = reading_of(capture, layouts, "Deck valves")
    latched = (seconds(frames) % 120 >= 60) & (seconds(frames) % 120 < 110)
    column = valves.named("open")
    assert ((column.raw >> 2 & 1).astype(bool) == latched).mean() > 0.98, "the gob wire is the third valve"
    words = [value_text(column, row) for row in range(len(column))]
    assert all("winch brake" in one for one in words) and {"gob wire" in one for one in words} == {True, False}


def test_the_load_cell_follows_the_pull_of_the_tow(capture, layouts):
    frames, found = reading_of(capture, layouts, "Load cell")
    good = found.named("load").has_value
    error = np.abs(found.named("load").value - true_column("tow_pull_kN", seconds(frames)))[good]
    assert np.quantile(error, 0.97) < 0.3
    (counter,) = [column for column in found.checks.values() if column.check.name == "sequence"]
    assert counter.count(CheckState.DISAGREES) <= 2 * int((frames.sizes < 4).sum()) + 1


def test_the_compass_agrees_and_a_broken_sentence_is_not_believed(capture, layouts):
    frames, found = reading_of(capture, layouts, "Heading sentence")
    error = np.abs(found.named("heading").value - true_column("heading_deg", seconds(frames)) % 360)
    assert np.quantile(np.minimum(error, 360 - error), 0.97) < 1.5
    assert next(iter(found.checks.values())).count(CheckState.AGREES) == len(frames)


def test_the_beacon_says_where_it_is_and_what_it_has_to_say(capture, layouts):
    frames, found = reading_of(capture, layouts, "Beacon packet")
    broken = (capture.frames.flags(frames.rows) & F.BAD_CHECK) != 0
    assert broken.sum() == 1
    assert (found.named("north").has_value == ~broken).all()
    assert found.named("name").text_of(0) == "YZ7" and found.named("battery").value[0] == pytest.approx(3.712)
    layout = next(one for one in layouts if one.name == "Beacon packet")
    swell = found.arrays[layout.parts[0].id]
    heights = next(iter(swell.columns.values()))
    good = heights.has_value
    assert (np.abs(heights.value[good]) <= 0.71).all() and good.any() and not good.all()
    assert swell.axis[swell.index[:, 0] == 3].tolist() == [1.5] * int((swell.index[:, 0] == 3).sum())
    (heading,) = [array for array in found.arrays.values() if array.name == "relayed"]
    relayed = next(column for column in heading.columns.values() if column.field.name == "heading")
    when = seconds(frames)[heading.frame[0]]
    assert float(relayed.value[0]) == pytest.approx(true_column("heading_deg", np.array([when]))[0] % 360, abs=2)
    assert frame_sentence(found, int(np.flatnonzero(broken)[0])) == "check of the link failed"


def test_the_self_test_of_the_beacon_is_read_in_every_code(capture, layouts):
    _, found = reading_of(capture, layouts, "Beacon packet")
    said = {}
    for array in found.arrays.values():
        for column in array.columns.values():
            said.setdefault(column.field.name, []).extend(value_text(column, row) for row in range(len(array)))
    one = {name: values for name, values in said.items() if len(values) == 1}
    assert one["serial"] == ["471"] and one["software"] == ["2.1"]
    assert one["tilt"] == ["−3 °"] and one["trim"] == ["−6 °"]
    assert one["wind vane"] == ["292.5 °"] and one["antenna"] == ["12.34 V"] and one["lamp hours"] == ["96 h"]
    assert one["probe"] == ["fault"] and one["keeper"] == ["deck team"] and one["place"] == ["pier 12"]
    assert one["since then"] == ["4\u2009321 min"]
    assert said["fault"] == ["17", "31"] and said["times"] == ["2", "1"]
    assert said["cell"] == ["1.2 V", "1.1 V", "0.9 V", "0.8 V"]


def test_the_library_of_the_demo_uses_every_structure(layouts):
    fields = [field for layout in layouts for field in layout.all_fields()]
    assert {field.kind for field in fields} == set(FieldKind)
    for attribute in ("polynomial", "table", "errors", "unavailable", "inverted", "selected", "names"):
        assert any(getattr(field, attribute) for field in fields), attribute
    used = set()

    def look(node):
        used.add(type(node).__name__)
        if isinstance(node, Group):
            used.add(node.repeat.value)
        return node

    for layout in layouts:
        rewrite(layout, look)
        if layout.registers is not None:
            used.add(layout.registers.space.value)
    parts = {"Group", "Run", "Elements", "ElementCase", "TextLine", "Carried", "Axis", "Labels", "Packed"}
    parts |= {one.value for one in Repeat}
    checks = {"Counter", "Sum", "Xor", "Crc", "Complement", "Reserved", "Rule", "Computed"}
    assert used >= parts | checks | {space.value for space in Space}


def test_the_pendant_was_pressed_twice(capture, layouts):
    _, found = reading_of(capture, layouts, "Hook pendant")
    buttons = found.named("button")
    assert [buttons.field.label_of(int(raw)) for raw in buttons.raw] == ["release", "arm"]
    assert found.named("pendant").raw.tolist() == [0x2A5C3] * 2


def test_every_device_lane_is_read_and_nearly_all_of_its_bits_are_explained(capture, layouts):
    meaning = Meaning.of(capture, layouts)
    counted = explain(meaning, capture_activity(capture))
    for lane in range(2, len(capture.lanes)):
        kinds = [n for n, key in enumerate(capture.kinds.keys) if key.lane == lane]
        assert any(meaning.kinds[n].readers for n in kinds), capture.lanes[lane].name
        total = sum((counted[n].explained for n in kinds), Explained())
        # the disturbed telegram of the deck is raw bytes that no layout asks for
        assert total.share >= (0.6 if capture.lanes[lane].name == "deck" else 0.9), capture.lanes[lane].name
