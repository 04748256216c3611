"""The demo is made of physics; its recordings are read back and compared with the truth kept apart."""

import csv

import numpy as np
import pytest

from tests.strategies import joined
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames.activity import capture_activity
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.layouts.json_form import layouts_from_file
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.library.check import check_library
from zesty_abacus.core.reading.explained import Explained, explain
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.trial.intake import open_trial_capture
from zesty_abacus.core.trial.trial import Trial, TrialError
from zesty_abacus.demo import simulator
from zesty_abacus.demo.messages import all_messages
from zesty_abacus.demo.simulator import START_NS, chunks, crc8
from zesty_abacus.demo.trial import SHIPPED, SHIPPED_LENGTH_S, copy_shipped_trial, write_trial


@pytest.fixture(scope="module")
def trial(tmp_path_factory):
    return copy_shipped_trial(tmp_path_factory.mktemp("demo") / "yuzu")


@pytest.fixture(scope="module")
def capture(trial):
    made = open_trial_capture(trial)
    assert all(not outcome.error and not outcome.report.problem_count for outcome in made.outcomes)
    return made.capture


def column(capture, layouts, message, field):
    """Decode one field of the capture: times in seconds and values."""
    layout = next(item for item in layouts if item.name == message)
    (kind,) = Meaning.of(capture, [layout]).kinds_read_by(layout.id)
    frames = capture.kind_frames(kind)
    found = decode(compile_layout(layout), frames.matrix, frames.sizes).named(field)
    return frames.time_ns / 1e9, found.plot_values()


@pytest.mark.parametrize(
    ("message", "field", "truth", "within"),
    [
        ("Motion", "water speed", "water_speed_kn", 0.02),
        ("Motion", "heading", "heading_deg", 0.05),
        ("Azimuth feedback port", "angle", "angle_port_deg", 0.15),
        ("Pack totals", "current", "pack_current_A", 0.3),
        ("Tow", "pull", "tow_pull_kN", 0.05),
    ],
)
def test_decoded_values_follow_the_truth(trial, capture, message, field, truth, within):
    layouts = layouts_from_file(trial.folder / "truth" / "layouts.json")
    times, values = column(capture, layouts, message, field)
    with (trial.folder / "truth" / "values.csv").open() as file:
        rows = list(csv.DictReader(file))
    true_times = np.array([float(row["time_s"]) for row in rows])
    true_values = np.array([float(row[truth]) for row in rows])
    inside = times < true_times[-1]
    error = np.abs(values - np.interp(times, true_times, true_values))[inside]
    assert np.quantile(error, 0.99) <= within


def test_a_third_of_the_kinds_is_unnamed_and_their_bits_unexplained(trial, capture):
    layouts = layouts_from_file(trial.folder / "layouts.json")
    meaning = Meaning.of(capture, layouts)
    data = [n for n, key in enumerate(capture.kinds.keys) if key.is_data and capture.lanes[key.lane].protocol == "can"]
    unnamed = [number for number in data if not meaning.kinds[number].readers]
    assert 0.28 <= len(unnamed) / len(data) <= 0.40
    activities = capture_activity(capture)
    counted = explain(meaning, activities)
    total = sum((counted[n].explained for n in data), Explained())
    assert 0.5 < total.share < 0.8
    # most of what moves is numbers without limits; a check over its frame bears out a field all the same
    assert 0.2 < total.proved_share < total.share
    truth = explain(Meaning.of(capture, layouts_from_file(trial.folder / "truth" / "layouts.json")), activities)
    every = [truth[n].explained for n in data]
    assert all(part.claimed == pytest.approx(part.moving, rel=0.01) for part in every), "the truth explains what moves"


def test_checksums_and_counters_hold_in_every_frame(capture):
    for address in (0x1A0, 0x1A1, 0x2C1):
        kind = next(n for n, key in enumerate(capture.kinds.keys) if key.address == address)
        frames = capture.kind_frames(kind)
        key = b"\x3c" if address == 0x2C1 else b""
        assert (crc8(frames.matrix[:, :7], key) == frames.matrix[:, 7]).all()
        steps = np.diff(frames.matrix[:, 6] & 15) % 16
        assert (steps == 1).all()


def test_the_crc_is_the_published_one():
    """CRC-8 with polynomial 0x2F, start 0xFF, end 0xFF has the published check value 0xDF over '123456789'."""
    assert crc8(np.frombuffer(b"123456789", np.uint8)[None, :])[0] == 0xDF


def test_layouts_are_valid_and_the_library_is_clean(trial):
    assert all(not check_layout(message.layout) for message in all_messages())
    assert check_library(layouts_from_file(trial.folder / "layouts.json")) == []


def test_the_voyage_does_not_depend_on_how_it_is_cut(monkeypatch):
    def voyage(steps):
        monkeypatch.setattr(simulator, "CHUNK_STEPS", steps)
        return Capture.from_table(joined([tables["thruster"] for _, tables in chunks(6.0, 3)]), (Lane("thruster"),))

    one, two = voyage(600), voyage(250)
    assert one.kinds.keys == two.kinds.keys
    for kind in range(len(one.kinds.keys)):
        first, second = one.kind_frames(kind), two.kind_frames(kind)
        assert len(first) == len(second)
        # frames within a step of a cut are read from the step before it instead of between two
        assert (first.matrix == second.matrix).all(axis=1).mean() > 0.95
        assert np.abs(first.time_ns - second.time_ns).max() < 2_000_000


def test_other_seeds_are_other_voyages():
    first, second = (next(iter(chunks(1.0, seed)))[1]["thruster"].payload for seed in (1, 2))
    assert len(first) != len(second) or (first != second).any()


def test_a_trial_of_any_length_is_written(tmp_path):
    write_trial(tmp_path / "short", 3.0)
    trial = Trial.open(tmp_path / "short")
    capture = open_trial_capture(trial).capture
    times = capture.in_order().time_ns[capture.in_order().lane == 0]
    assert capture.origin_ns >= START_NS and 2.9e9 < times[-1] - START_NS < 3.0e9
    with pytest.raises(TrialError, match="already"):
        write_trial(tmp_path / "short", 3.0)
    with pytest.raises(MisuseError, match="length"):
        write_trial(tmp_path / "none", 0)


def test_the_shipped_trial_is_small_and_two_minutes_long(capture):
    size = sum(path.stat().st_size for path in SHIPPED.rglob("*") if path.is_file())
    assert size < 3_200_000
    assert SHIPPED_LENGTH_S - 1 < (capture.end_ns - capture.origin_ns) / 1e9 <= SHIPPED_LENGTH_S
    assert capture.kinds.keys[0].address == 0x88 and not capture.kinds.keys[0].is_data
