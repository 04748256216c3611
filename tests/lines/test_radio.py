"""On-off keyed and two-tone signals with noise, drifting carriers, strong and weak senders, whatever the chunks."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.lines.drawing import from_levels, uart_parts
from tests.lines.test_pulses import bursts_of, train
from zesty_abacus.core.lines import radio, spectrum
from zesty_abacus.core.lines.levels import find_edges
from zesty_abacus.core.lines.pulses import PulseLine
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.waves import samples as samples_module
from zesty_abacus.core.waves.samples import Samples

RATE = 200_000
LISTED = [1, 0, 1, 1, 0, 0, 1, 0, 1, 1, 1, 0, 0, 1, 0, 1]


def key_of(line, count):
    times = np.arange(count) * (1e9 / RATE)
    rows = np.searchsorted(line.time_ns, times, side="right") - 1
    return np.where(rows >= 0, line.level[np.maximum(rows, 0)], line.first)


def carrier(line, strength=0.5, noise=0.1, hz=31_000.0, drift=0.0, seed=1):
    """Return I/Q of a keyed carrier with noise of a given size a part."""
    rng = np.random.default_rng(seed)
    count = int(line.end_ns * RATE / 1e9)
    time = np.arange(count) / RATE
    wave = strength * key_of(line, count) * np.exp(2j * np.pi * (hz * time + drift * time**2))
    return wave + rng.normal(0, noise, count) + 1j * rng.normal(0, noise, count)


def as_samples(wave):
    return Samples(np.stack([wave.real, wave.imag], axis=1).astype(np.float32), RATE)


def read(wave, smooth=100.0, hz=31_000.0):
    level = radio.envelope(as_samples(wave), hz, smooth)
    edges, _ = radio.keyed_edges(level)
    return bursts_of(decode_line(PulseLine(line="x"), {"x": edges.without_glitches(80_000)}))


@pytest.mark.parametrize("noise", [0.02, 0.1, 0.2])
def test_a_keyed_carrier_is_read_at_this_noise(noise):
    """Half the strength at a noise of 0.2 a part is 5 dB in the full band."""
    assert read(carrier(train(LISTED, "width", bursts=5), noise=noise)) == [LISTED] * 5


def test_a_drifting_carrier_is_read():
    assert read(carrier(train(LISTED, "width", bursts=5), drift=600.0)) == [LISTED] * 5


def test_a_weak_sender_beside_a_strong_one_is_read():
    line = train(LISTED, "width", bursts=4)
    wave = carrier(line, strength=0.9, noise=0.02)
    half = len(wave) // 2
    weak = carrier(line, strength=0.12, noise=0.02, seed=2)
    assert read(np.concatenate([wave[: half * 2], weak])) == [LISTED] * 8


def test_edges_lie_where_the_key_moved():
    line = train(LISTED, "width", bursts=2)
    level = radio.envelope(as_samples(carrier(line, noise=0.01)), 31_000, 60)
    edges, threshold = radio.keyed_edges(level)
    edges = edges.without_glitches(60_000)
    assert len(edges) == len(line) and len(threshold) == len(level)
    assert np.abs(edges.time_ns - line.time_ns).max() < 40_000, "a tenth of the shortest symbol"


def test_nothing_depends_on_where_a_chunk_ends(monkeypatch):
    wave = as_samples(carrier(train(LISTED, "width", bursts=2)))
    whole = radio.envelope(wave, 31_000, 100).values
    monkeypatch.setattr(samples_module, "CHUNK", 999)
    parts = radio.envelope(wave, 31_000, 100).values
    assert len(whole) == len(parts) and np.abs(whole - parts).max() < 1e-5


def test_the_envelope_agrees_with_a_plain_mean():
    """The moving mean of the mixed signal, as NumPy works it out."""
    wave = carrier(train(LISTED, "width", bursts=1), noise=0.05)
    made = radio.envelope(as_samples(wave), 31_000, 100)
    mixed = wave * np.exp(-2j * np.pi * 31_000 / RATE * np.arange(len(wave)))
    window, step = 20, 5
    sums = np.abs(np.convolve(mixed, np.ones(window) / window))[: len(wave)]
    assert np.abs(made.values[8:] - sums[step - 1 :: step][: len(made.values)][8:]).max() < 1e-4


def test_the_carrier_and_both_tones_are_measured():
    wave = carrier(train(LISTED * 8, "width", bursts=4), noise=0.02)
    assert abs(spectrum.measure_spectrum(as_samples(wave)).peaks_hz[0] - 31_000) < 60
    audio = tones(from_levels(uart_parts(list(b"zesty" * 30), 1e9 / 1200)), 1200, 2200)
    low, high = spectrum.measure_tones(audio)
    assert abs(low - 1200) < 40 and abs(high - 2200) < 40


def test_who_sends_a_tenth_of_a_second_a_minute_is_heard():
    rate, random = 22_050, np.random.default_rng(2)
    wave = random.normal(0, 0.05, rate * 180)
    for begin_s in (31.3, 92.7, 151.9):
        bits = random.integers(0, 2, 120)
        turn = np.repeat(np.where(bits == 1, 2200, 1200), rate // 1200)
        begin = int(begin_s * rate)
        wave[begin : begin + len(turn)] += 0.5 * np.sin(2 * np.pi * np.cumsum(turn) / rate)
    low, high = spectrum.measure_tones(Samples(wave.astype(np.float32), rate))
    assert abs(low - 1200) < 40 and abs(high - 2200) < 40


@settings(max_examples=25)
@given(whole_s=st.floats(1.0, 3.0), place=st.floats(0, 1), seed=st.integers(0, 2**32 - 1))
def test_both_tones_of_one_message_are_measured_wherever_it_stands(whole_s, place, seed):
    """Half at the end of one stretch and half at the begin of the next is heard as well as in the middle of one."""
    rate, random = 11_025, np.random.default_rng(seed)
    turn = np.repeat(np.where(random.integers(0, 2, 270) == 1, 2200, 1200), rate // 1200)
    wave = random.normal(0, 0.02, int(whole_s * rate))
    begin = int(place * (len(wave) - len(turn)))
    wave[begin : begin + len(turn)] += 0.5 * np.sin(2 * np.pi * np.cumsum(turn) / rate)
    low, high = spectrum.measure_tones(Samples(wave.astype(np.float32), rate))
    assert abs(low - 1200) < 60 and abs(high - 2200) < 60


def tones(line, low, high, noise=0.05, rate=22_050):
    rng = np.random.default_rng(4)
    count = int(line.end_ns * rate / 1e9)
    times = np.arange(count) * (1e9 / rate)
    rows = np.searchsorted(line.time_ns, times, side="right") - 1
    level = np.where(rows >= 0, line.level[np.maximum(rows, 0)], line.first)
    phase = np.cumsum(2 * np.pi * np.where(level == 1, high, low) / rate)
    return Samples((0.5 * np.sin(phase) + rng.normal(0, noise, count)).astype(np.float32), rate)


@pytest.mark.parametrize("noise", [0.02, 0.15])
def test_two_tones_become_the_line_that_keyed_them(noise):
    line = from_levels(uart_parts(list(b"half past eight"), 1e9 / 1200))
    level = radio.tone_difference(tones(line, 1200, 2200, noise), 1200, 2200, 800).wave
    edges = find_edges(level, 0.0, 0.2).without_glitches(300_000)
    run = decode_line(UartLine(line="x", rate=1200), {"x": edges}).byte_run
    assert bytes(run.value.astype(np.uint8)) == b"half past eight"


@given(seed=st.integers(0, 2**32 - 1), size=st.integers(3, 400), apart=st.integers(1, 30), count=st.integers(1, 6))
def test_the_strongest_lines_are_those_that_a_signal_library_finds(seed, size, apart, count):
    # loading it takes a second, and every process that runs tests loads all of their modules
    import scipy.signal

    power = np.random.default_rng(seed).random(size)
    places, _ = scipy.signal.find_peaks(power, distance=apart)
    wanted = sorted(places.tolist(), key=lambda place: -power[place])[:count]
    assert spectrum.strongest_places(power, count, apart=apart) == wanted


def test_a_flat_top_is_one_line():
    assert spectrum.strongest_places(np.array([0, 1, 3, 3, 1, 2, 2, 2, 0.0, 0.0]), 5, apart=1) == [2, 5]


def test_silence_keys_nothing():
    rng = np.random.default_rng(6)
    noise = rng.normal(0, 0.1, 400_000) + 1j * rng.normal(0, 0.1, 400_000)
    edges, _ = radio.keyed_edges(radio.envelope(as_samples(noise), 31_000, 100))
    assert len(edges) <= 4
    assert spectrum.measure_spectrum(Samples(np.zeros((10, 2), np.float32), RATE)).peaks_hz == ()
    assert spectrum.measure_tones(Samples(np.zeros(10, np.float32), RATE)) is None
    assert spectrum.measure_tones(Samples(np.zeros(20_000, np.float32), RATE)) is None
    assert spectrum.measure_tones(Samples(np.full((20_000, 2), 3, np.int16), RATE)) is None


@pytest.mark.parametrize("scale", [0.5, -0.25, 4.0])
def test_an_envelope_is_of_the_physical_values(scale):
    """A carrier beside a steady part: whole numbers with scale and offset are the values they stand for."""
    rate, offset = 200_000.0, 3.0
    phase = 2 * np.pi * 20_000 * np.arange(4000) / rate
    physical = np.stack([8 * np.cos(phase) + offset, 8 * np.sin(phase) + offset], axis=1)
    numbers = ((physical - offset) / scale).astype(np.float32)
    plain = radio.envelope(Samples(physical.astype(np.float32), rate), 20_000, 200).values
    scaled = radio.envelope(Samples(numbers, rate, scale, offset), 20_000, 200).values
    assert np.allclose(scaled[4:], plain[4:], rtol=1e-3)
    # the steady part is off by the carrier's own frequency and is lost in the mean
    assert np.allclose(scaled[4:-4], 8, rtol=0.05)
