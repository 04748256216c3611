"""Recordings of the demo opened for a look: what they hold, which recipes are offered in which order, one tried."""

import pytest

from zesty_abacus.core.library.store import Library
from zesty_abacus.core.progress import Progress
from zesty_abacus.core.trial.looking import open_source, try_recipe
from zesty_abacus.demo.trial import copy_shipped_trial

SECOND = 1_000_000_000


@pytest.fixture
def look(tmp_path):
    trial = copy_shipped_trial(tmp_path / "yuzu")
    library = Library.open(trial.library_address)

    def opened(name):
        number = next(n for n, one in enumerate(trial.file.sources) if one.path == name)
        return open_source(trial, number, 5 * SECOND, library, Progress())

    yield opened
    library.close()


@pytest.mark.parametrize("name", ["thruster.log.gz", "battery.pcapng.zst"])
def test_whole_frames_without_longer_messages_need_no_look(look, name):
    assert look(name) is None


@pytest.mark.parametrize(
    ("name", "form", "holds", "has_waves"),
    [
        ("compass.bytes", "timed bytes", "bytes", False), ("shore-meter.pcap", "pcap", "packets", False),
        ("winch-load.vcd.gz", "VCD", "", True), ("bridge-remote.pulses", "pulse lengths", "", True),
    ],
)  # fmt: skip
def test_what_a_recording_holds_and_how_long_it_is(look, name, form, holds, has_waves):
    opened = look(name)
    assert (opened.form, opened.holds, opened.recording is not None) == (form, holds, has_waves)
    assert (opened.table is None) == has_waves and opened.zero_ns == 5 * SECOND
    first, last = opened.span_ns
    recorded = opened.recording.span_ns if has_waves else (opened.table.time_ns[0], opened.table.time_ns[-1])
    assert (first, last) == tuple(recorded) and last - first > SECOND


@pytest.mark.parametrize("name", ["winch-load.vcd.gz", "compass.bytes"])
def test_the_recipe_in_use_comes_first_then_the_best_measured_then_those_of_the_library(look, name):
    opened = look(name)
    origins = [one.origin for one in opened.offers]
    assert origins[:3] == ["trial", "measured", "library"] and set(origins[3:]) == {"measured"}
    assert opened.offers[0].recipe == opened.request.recipe
    measured = [one.score for one in opened.offers if one.origin == "measured"]
    assert measured == sorted(measured, reverse=True) and measured[-1] > 0 and measured[0] <= 1
    (kept,) = [one for one in opened.offers if one.origin == "library"]
    assert kept.score == 1.0 and kept.reasons[0].startswith("kept in the library by ")


def test_without_a_recipe_only_what_was_measured_is_offered(look):
    origins = {one.origin for one in look("sounder.wav").offers}
    assert origins == {"measured"}


def test_waves_have_the_sums_that_a_picture_of_all_is_drawn_from(look):
    (channel,) = look("sounder.wav").recording.channels
    assert len(channel.samples.lows) == len(channel.samples.highs) > 0


def test_a_recipe_is_tried_on_a_stretch_of_waves_and_on_all_bytes(look):
    opened = look("winch-load.vcd.gz")
    whole = try_recipe(opened, opened.offers[0].recipe, None, None, Progress())
    part = try_recipe(opened, opened.offers[0].recipe, (10 * SECOND, 20 * SECOND), None, Progress())
    times = part.result.frames.time_ns
    assert 0 < len(times) < len(whole.result.frames) and times.min() >= 10 * SECOND and times.max() <= 20 * SECOND
    pieces = look("compass.bytes")
    made = try_recipe(pieces, pieces.offers[0].recipe, None, None, Progress())
    assert len(made.result.frames) > 100 and made.span_ns == pieces.span_ns
    assert made.result.frames.payload_of(0).startswith(b"$")
