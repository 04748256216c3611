"""Samples that come live are the frames that a recording of them is."""

import itertools
import json
import socket
import threading
import time
from pathlib import Path

import msgspec
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.live.sockets import free_port
from tests.steady import KEEPS_TIME
from zesty_abacus.core.captures import sigmf, wav
from zesty_abacus.core.captures.report import ReadReport
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.live.demodulating import Demodulator
from zesty_abacus.core.live.receiving import Receiving
from zesty_abacus.core.live.registry import endpoint_of
from zesty_abacus.core.progress import Progress
from zesty_abacus.core.recipes.json_form import recipes_from_file, recipes_to_file_text
from zesty_abacus.core.recipes.run import run_recipe
from zesty_abacus.core.waves.sample_forms import SAMPLE_FORMS, sample_form
from zesty_abacus.demo.trial import SHIPPED

pytestmark = KEEPS_TIME

PENDANT, BEACON = SHIPPED / "pendant.sigmf-meta", SHIPPED / "beacon.wav"
FORMS = {PENDANT: json.loads(PENDANT.read_text())["global"]["core:datatype"], BEACON: "ri16_le"}


def _recording(path):
    reader = sigmf.LINES if path == PENDANT else wav.LINES
    return reader.read(path, Path(), None, ReadReport(str(path)), Progress())


def _recipe(path):
    return next(one for one in recipes_from_file(SHIPPED / "recipes.json") if one.name == path.stem)


def _said(table):
    return [(table.payload_of(row), int(table.flags[row])) for row in range(len(table))]


def _live(path, sizes, recipe, begin_ns=0):
    """Feed a recording in datagrams of some sizes, in samples, and return its frames and the demodulator."""
    samples = _recording(path).channels[0].samples
    form, values = SAMPLE_FORMS[FORMS[path]], np.ascontiguousarray(samples.values)
    demodulator = Demodulator(form, samples.rate_hz, recipe)
    tables, place, sizes = [], 0, itertools.cycle(sizes)
    while place < len(values):
        part = values[place : place + next(sizes)]
        place += len(part)
        tables.append(demodulator.add(part.tobytes(), begin_ns + samples.time_of(place)))
    return FrameTable.joined([*tables, demodulator.finish()]), demodulator


@pytest.mark.parametrize("path", [PENDANT, BEACON])
@settings(max_examples=6)
@given(sizes=st.lists(st.integers(200, 5000), min_size=1, max_size=5))
def test_live_frames_are_those_of_the_recording(path, sizes):
    whole = run_recipe(_recipe(path), _recording(path)).result.frames
    live, _ = _live(path, sizes, _recipe(path), begin_ns=10**18)
    assert _said(live) == _said(whole)
    assert np.abs(live.time_ns - 10**18 - whole.time_ns).max() < 50_000


@pytest.mark.parametrize(("path", "speaks"), [(PENDANT, "Pulses, bursts"), (BEACON, "Pulses, HDLC")])
def test_samples_show_by_themselves_what_they_are(path, speaks):
    whole = run_recipe(_recipe(path), _recording(path)).result.frames
    live, demodulator = _live(path, [1000], None)
    assert demodulator.recipe.speaks == speaks
    assert {payload for payload, _ in _said(live)} == {payload for payload, _ in _said(whole)}


def test_after_a_pause_times_are_those_of_what_comes_then():
    samples = _recording(PENDANT).channels[0].samples
    form, data = SAMPLE_FORMS[FORMS[PENDANT]], np.ascontiguousarray(samples.values).tobytes()
    demodulator = Demodulator(form, samples.rate_hz, _recipe(PENDANT))
    length = samples.time_of(len(samples))
    tables = [demodulator.add(data, begin + length) for begin in (0, 60 * 10**9)]
    assert len(demodulator.idle(60 * 10**9 + length)) == 0, "something may follow still"
    tables.append(demodulator.idle(70 * 10**9))
    times = FrameTable.joined(tables).time_ns
    assert len(times) == 6
    assert np.abs(times[3:] - times[:3] - 60 * 10**9).max() < 50_000


def test_noise_is_no_message_and_fills_no_memory():
    rng = np.random.default_rng(3)
    demodulator = Demodulator(SAMPLE_FORMS["cf32_le"], 50_000, _recipe(PENDANT))
    for second in range(1, 30):
        noise = rng.normal(0, 0.01, (50_000, 2)).astype(np.float32)
        demodulator._rests_until_s = 0.0
        assert len(demodulator.add(noise.tobytes(), second * 10**9)) == 0
    assert sum(len(part) for part in demodulator._parts) < 6 * 50_000


def _loop(port, stopped):
    """Play the pendant's recording again and again, at its own pace."""
    samples = _recording(PENDANT).channels[0].samples
    data, step = np.ascontiguousarray(samples.values), 2500
    begin, sent = time.monotonic(), 0
    with socket.socket(type=socket.SOCK_DGRAM) as wire:
        while not stopped.is_set():
            at = sent % len(data)
            part = data[at : at + step]
            wire.sendto(part.tobytes(), ("127.0.0.1", port))
            sent += len(part)
            time.sleep(max(begin + sent / samples.rate_hz - time.monotonic(), 0))


@pytest.mark.parametrize("is_known", [True, False])
def test_a_recording_replayed_in_a_loop_is_read_live(tmp_path, is_known):
    port = free_port(socket.SOCK_DGRAM)
    text = f"udp://127.0.0.1:{port}?samples={FORMS[PENDANT]}&rate=125000"
    if is_known:
        (tmp_path / "pendant.json").write_text(recipes_to_file_text([_recipe(PENDANT)]))
        text += f"&recipe={tmp_path / 'pendant.json'}"
    stopped, found, told = threading.Event(), [], []
    with Receiving([endpoint_of(f"pendant={text}")]) as receiving:
        player = threading.Thread(target=_loop, args=(port, stopped))
        player.start()
        until = time.monotonic() + 60
        while len(found) < 6 and time.monotonic() < until:
            table = receiving.take(0.1)
            found += [table.payload_of(row).hex() for row in range(len(table))]
            told += [one.sentence for one in receiving.news()]
        stopped.set()
        player.join()
        lanes = receiving.lanes
    # where the player stands still for a moment a press may be cut; both presses are there all the same
    assert {payload for payload in found if len(payload) == 8} == {"2a5c3680", "2a5c3980"}
    assert [(lane.name, lane.protocol) for lane in lanes] == [("pendant", "bursts")]
    assert bool(told) != is_known


@pytest.mark.parametrize(
    ("options", "words"),
    [
        ("samples=cf33&rate=48000", "samples=cf33 is not known"),
        ("samples=cf32", "how many samples a second"),
        ("samples=cf32&rate=fast", "rate=fast"),
        ("samples=cf32&rate=48000&form=frames", "no option 'form'"),
        (f"samples=cf32&rate=48000&recipe={SHIPPED / 'recipes.json'}", "3 recipes for waves of one channel"),
    ],
)
def test_what_makes_no_sense_is_told_before_anything_is_opened(options, words):
    with pytest.raises(MisuseError, match=words):
        endpoint_of(f"udp://127.0.0.1:5000?{options}")


def test_half_a_sample_is_lost_and_told():
    port = free_port(socket.SOCK_DGRAM)
    with Receiving([endpoint_of(f"udp://127.0.0.1:{port}?samples=cf32&rate=48000")]) as receiving:
        with socket.socket(type=socket.SOCK_DGRAM) as wire:
            wire.sendto(bytes(13), ("127.0.0.1", port))
        until = time.monotonic() + 60
        while not receiving.lost and time.monotonic() < until:
            receiving.take(0.05)
    assert receiving.lost == 1


def test_forms_go_by_short_names():
    assert sample_form("cf32") is SAMPLE_FORMS["cf32_le"]
    assert sample_form("ci8").values(bytes((1, 255, 3))).tolist() == [[1, -1]]
    assert sample_form("ri16_be").values(b"\1\0\0\2").tolist() == [256, 2]


def test_a_recipe_that_does_not_suit_is_told_and_ends_nothing(tmp_path):
    framing = _recipe(PENDANT).framing
    wrong = msgspec.structs.replace(_recipe(BEACON), framing=framing, line=UartLine(line="channel 1", rate=1200.0))
    (tmp_path / "wrong.json").write_text(recipes_to_file_text([wrong]))
    port = free_port(socket.SOCK_DGRAM)
    text = f"udp://127.0.0.1:{port}?samples=ri16&rate=8000&recipe={tmp_path / 'wrong.json'}"
    with Receiving([endpoint_of(text)]) as receiving:
        told, until = [], time.monotonic() + 60
        with socket.socket(type=socket.SOCK_DGRAM) as wire:
            while not told and time.monotonic() < until:
                wire.sendto(bytes(1600), ("127.0.0.1", port))
                receiving.take(0.05)
                told += receiving.news()
    assert told[0].is_down
    assert "Choose another framing" in told[0].sentence
