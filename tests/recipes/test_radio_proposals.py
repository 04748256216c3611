"""What measurement alone makes of keyed carriers, two tones and scrambled packets, in noise, on signals drawn here."""

import wave as wave_module
from pathlib import Path

import numpy as np
import pytest

from tests.lines.drawing import from_levels
from tests.links.test_hdlc_and_bursts import stuffed
from zesty_abacus.core.captures import sigmf, wav
from zesty_abacus.core.captures.report import ReadReport
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.links.hdlc import HdlcFraming
from zesty_abacus.core.progress import Progress
from zesty_abacus.core.recipes.propose import propose
from zesty_abacus.core.recipes.run import run_recipe
from zesty_abacus.core.waves.recording import Channel, LineRecording
from zesty_abacus.core.waves.samples import Samples
from zesty_abacus.demo.trial import SHIPPED

RATE = 200_000
NAME = Path("made.sigmf-meta")
BEACON, PENDANT = SHIPPED / "beacon.wav", SHIPPED / "pendant.sigmf-meta"


def noisy(wave: np.ndarray, snr_db: float, seed: int) -> LineRecording:
    """Return I/Q with noise that is so far below the wave, in the whole band."""
    rng = np.random.default_rng(seed)
    part = np.abs(wave).max() * 10 ** (-snr_db / 20) / np.sqrt(2)
    wave = wave + rng.normal(0, part, len(wave)) + 1j * rng.normal(0, part, len(wave))
    samples = Samples(np.stack([wave.real, wave.imag], axis=1).astype(np.float32), RATE)
    return LineRecording("SigMF", (Channel("iq", samples=samples),))


def silence(ms: float) -> np.ndarray:
    return np.zeros(round(RATE * ms / 1000), complex)


def two_tones(messages, baud, low, high):
    """Draw each message as tones, high for a 1, with silence around it."""
    parts = [silence(60)]
    for bits in messages:
        edges = np.round(np.arange(len(bits) + 1) * RATE / baud).astype(int)
        turn = np.zeros(edges[-1])
        for bit, first, last in zip(bits, edges[:-1], edges[1:], strict=True):
            turn[first:last] = high if bit else low
        parts += [0.5 * np.exp(2j * np.pi * np.cumsum(turn) / RATE), silence(30)]
    return np.concatenate([*parts, silence(30)])


def keyed(messages, symbol_s, hertz):
    """Draw each bit as a pulse and its space, a long pulse for a 1."""
    on = [np.zeros(round(0.06 * RATE))]
    for bits in messages:
        for bit in bits:
            on += [np.ones(round((2 if bit else 1) * symbol_s * RATE)), np.zeros(round((2 - bit) * symbol_s * RATE))]
        on.append(np.zeros(round(0.03 * RATE)))
    level = np.concatenate(on)
    return 0.5 * level * np.exp(2j * np.pi * hertz * np.arange(len(level)) / RATE)


def best_reading(recording):
    """Return the best proposal and the bits of each burst that it reads."""
    best = propose(NAME, recording)[0]
    run = run_recipe(best.recipe, recording).result.bit_run
    return best, [run.bit[a:b].tolist() for a, b in zip(run.bounds[:-1], run.bounds[1:], strict=True)]


def words(seed, count, size):
    return [np.random.default_rng([seed, n]).integers(0, 2, size).tolist() for n in range(count)]


@pytest.mark.parametrize("snr_db", [30, 15, 9, 6])
@pytest.mark.parametrize("seed", range(3))
def test_bursts_of_two_tones_are_read_to_their_last_zero(snr_db, seed):
    messages = [[1, 0] * 8 + bits + [0, 0, 0] for bits in words(seed, 2, 40) for _ in range(3)]
    baud, apart = (1200, 2400, 4800)[seed], (9_000, 12_000, 24_000)[seed]
    best, bits = best_reading(noisy(two_tones(messages, baud, 5_000 - apart, 5_000 + apart), snr_db, seed))
    assert best.reasons[0].startswith("two tones") and best.score > 0.8
    assert bits == messages


@pytest.mark.parametrize("snr_db", [20, 6, 3])
@pytest.mark.parametrize("seed", range(3))
def test_a_keyed_carrier_is_read_at_a_smoothing_that_follows_its_symbol(snr_db, seed):
    messages = [bits for bits in words(seed, 2, 32) for _ in range(4)]
    best, bits = best_reading(noisy(keyed(messages, (2e-3, 1e-3, 0.5e-3)[seed], 17_000), snr_db, seed))
    assert best.reasons[0].startswith("a carrier at ") and best.score > 0.8
    assert bits == messages


def audio(wave, rate, snr_db, seed):
    """Return a sound with noise that is so far below it while it sounds, in all of its band."""
    noise = np.random.default_rng(seed).normal(0, 0.5 / np.sqrt(2) * 10 ** (-snr_db / 20), len(wave))
    samples = Samples((wave.real + noise).astype(np.float32), float(rate))
    return LineRecording("WAV", (Channel("channel 1", samples=samples),))


def heard(messages, baud, low, high, rate):
    """Draw each message as a sound of two tones, high for a 1, with silence around it."""
    parts = [np.zeros(round(0.2 * rate))]
    for bits in messages:
        times = np.arange(round(len(bits) / baud * rate)) / rate
        bit = np.array(bits)[np.minimum((times * baud).astype(int), len(bits) - 1)]
        parts += [
            0.5 * np.sin(2 * np.pi * np.cumsum(np.where(bit == 1, high, low)) / rate),
            np.zeros(round(0.2 * rate)),
        ]
    return np.concatenate(parts)


@pytest.mark.parametrize(
    ("baud", "low", "high", "rate", "snr_db"),
    [
        *((*tones, rate, snr_db) for tones in [(1200, 1200, 2200), (300, 1000, 1600), (600, 1300, 1700)]
          for rate in (22_050, 44_100, 48_000) for snr_db in (30, 20, 10)),
        # as near to each other as half a wave a bit
        *((1200, 1200, 1800, rate, snr_db) for rate in (44_100, 48_000) for snr_db in (30, 20)),
    ],
)  # fmt: skip
def test_messages_in_sound_are_read_though_none_comes_twice(baud, low, high, rate, snr_db):
    """A bit of 1200 Bd is one wave of 1200 Hz: read as levels, the waves themselves look like pulses."""
    messages = [[1, 0] * 8 + bits for bits in words(baud + rate + snr_db, 6, 50)]
    best, bits = best_reading(audio(heard(messages, baud, low, high, rate), rate, snr_db, baud))
    assert best.reasons[0].startswith("two tones")
    assert bits == messages


@pytest.mark.parametrize("seed", range(4))
def test_a_keyed_sound_is_no_two_tones(seed):
    rate, symbol_s = (44_100, 48_000)[seed % 2], (0.5e-3, 1e-3)[seed // 2]
    messages = words(seed, 6, 40)
    on = [np.zeros(round(0.2 * rate))]
    for bits in messages:
        ends = np.cumsum([symbol_s * part for bit in bits for part in ((2, 1) if bit else (1, 2))])
        level = np.arange(len(ends)) % 2 == 0
        times = np.arange(round(ends[-1] * rate)) / rate
        on += [level[np.minimum(np.searchsorted(ends, times, "right"), len(ends) - 1)], np.zeros(round(0.15 * rate))]
    level = np.concatenate(on)
    wave = 0.5 * level * np.sin(2 * np.pi * (4000, 6000)[seed % 2] * np.arange(len(level)) / rate)
    best, bits = best_reading(audio(wave, rate, 8, seed))
    assert best.reasons[0].startswith("a carrier at ") and bits == messages


def character_bits(text, rest):
    """Return the bits of characters, a start and two stop bits each, after so many of rest."""
    return [1] * rest + [bit for byte in text for bit in [0, *(byte >> n & 1 for n in range(8)), 1, 1]]


SAID = [b"$YXWND,%d.%d,R\r\n" % (7 * n % 61, n % 10) for n in range(12)]


@pytest.mark.parametrize("is_silent_between", [False, True])
@pytest.mark.parametrize("snr_db", [30, 12])
@pytest.mark.parametrize(
    ("baud", "mark", "space"), [(300, 1270, 1070), (300, 2225, 2025), (1200, 1200, 2200), (300, 2400, 1200)]
)
def test_characters_sent_as_tones_are_read(baud, mark, space, snr_db, is_silent_between):
    """As modems of ITU-T V.21 and the like send them: the tone of a 1 also where nothing is said, or only before it."""
    messages = [character_bits(text, 20) + [1] * 8 for text in SAID]
    if not is_silent_between:
        messages = [[bit for bits in messages for bit in bits]]
    low, high = sorted((mark, space))
    sent = [[bit if mark > space else 1 - bit for bit in bits] for bits in messages]
    recording = audio(heard(sent, baud, low, high, 22_050), 22_050, snr_db, baud)
    best = propose(Path("modem.wav"), recording)[0]
    assert best.reasons[0].startswith("two tones") and isinstance(best.recipe.line, UartLine)
    assert best.recipe.line.inverted == (mark < space) and best.score > 0.5
    assert best.reasons[0].endswith(", the low one a 1") == (mark < space)
    frames = run_recipe(best.recipe, recording).result.frames
    read = [frames.payload[a : a + n].tobytes() for a, n in zip(frames.start, frames.size, strict=True)]
    assert [line for line in read if line] == [text.removesuffix(b"\r\n") for text in SAID]


def test_a_moment_of_silence_before_a_long_call_is_no_text():
    """One part in a hundred is silence, before and behind: its noise is nothing that anybody said."""
    said = SAID * 12
    bits = [bit for text in said for bit in character_bits(text, 20)] + [1] * 8
    wave = heard([[1 - bit for bit in bits]], 1200, 1200, 2200, 22_050)
    wave = wave[3300:-3300]
    assert 2 * (0.2 * 22_050 - 3300) / len(wave) < 0.02
    recording = audio(wave, 22_050, 15, 3)
    best = propose(Path("modem.wav"), recording)[0]
    frames = run_recipe(best.recipe, recording).result.frames
    assert b"".join(frames.payload_of(n) + b"\r\n" for n in range(len(frames))) == b"".join(said)


def test_characters_keyed_on_a_carrier_are_read():
    messages = [character_bits(text, 0) for text in SAID]
    parts = [silence(40)]
    for bits in messages:
        ends = np.round(np.arange(len(bits) + 1) * RATE / 2400).astype(int)
        parts += [np.repeat(1.0 - np.array(bits), np.diff(ends)), silence(12).real]
    level = np.concatenate([part.real for part in parts])
    wave = 0.5 * level * np.exp(2j * np.pi * 21_000 * np.arange(len(level)) / RATE)
    recording = noisy(wave, 15, 4)
    best = propose(NAME, recording)[0]
    assert best.reasons[0].startswith("a carrier at ") and isinstance(best.recipe.line, UartLine)
    assert best.recipe.line.inverted and best.reasons[0].endswith("keyed on and off, off a 1")
    frames = run_recipe(best.recipe, recording).result.frames
    assert b"".join(frames.payload_of(n) + b"\r\n" for n in range(len(frames))) == b"".join(SAID)


def test_noise_alone_is_no_message_that_anybody_trusts():
    found = propose(NAME, noisy(np.full(400_000, 1e-9 + 0j), 0, 3))
    assert all(one.score < 0.4 for one in found)


def scrambled(bits):
    """Mix each bit with those sent 12 and 17 before it, as x^17 + x^12 + 1 says."""
    sent = [0] * 17
    for bit in bits:
        sent.append(bit ^ sent[-12] ^ sent[-17])
    return sent[17:]


def changes(bits):
    """Write a 0 as a change and a 1 as none."""
    level, out = 1, []
    for bit in bits:
        level ^= 1 - bit
        out.append(level)
    return out


PAYLOADS = [bytes((n * 37 + k * 11) & 0xFF for k in range(12 + n)) for n in range(5)]


@pytest.mark.parametrize("mixed", [False, True])
@pytest.mark.parametrize("noise", [0.02, 0.25])
def test_packets_in_the_baseband_are_found_plain_and_scrambled(mixed, noise):
    flag = [0, 1, 1, 1, 1, 1, 1, 0]
    listed = [bit for payload in PAYLOADS for bit in flag * 12 + stuffed(payload) + flag * 6]
    sent = changes(listed)
    line = scrambled(sent) if mixed else sent
    wave = np.repeat(np.array(line) * 2.0 - 1.0, 5)
    wave = np.convolve(wave, np.ones(3) / 3, "same") + np.random.default_rng(1).normal(0, noise, len(wave))
    recording = LineRecording("WAV", (Channel("audio", samples=Samples(wave.astype(np.float32), 48_000)),))
    best = propose(Path("tnc.wav"), recording)[0]
    assert isinstance(best.recipe.framing, HdlcFraming) and best.recipe.line.transitions and best.score >= 0.9
    assert best.recipe.line.scrambler == ("17 12" if mixed else "")
    frames = run_recipe(best.recipe, recording).result.frames
    read = [frames.payload[a : a + n].tobytes() for a, n in zip(frames.start, frames.size, strict=True)]
    assert read == PAYLOADS and not (frames.flags & F.BAD_CHECK).any()


def test_changes_are_not_offered_where_nothing_bears_them_out():
    levels = np.random.default_rng(4).integers(0, 2, 4000)
    line = from_levels([(int(level), 1e9 / 9600) for level in levels])
    found = propose(Path("x.vcd"), LineRecording("VCD", (Channel("x", edges=line),)))
    assert not any(getattr(one.recipe.line, "transitions", False) for one in found)


@pytest.mark.parametrize(("begin_s", "end_s"), [(0, 1.2), (0, 1.6), (0, 1.62), (0, 2.46), (1.0, 3.1), (3.4, 4.6)])
def test_one_whole_message_is_enough_wherever_a_recording_is_cut(begin_s, end_s):
    """Its tones are lines of the spectrum, also where it lies at the borders of the stretches that are looked at."""
    best = propose(NAME, cut(BEACON, begin_s, end_s))[0]
    assert best.recipe.speaks == "Pulses, HDLC" and best.score > 0.9


def test_the_end_of_a_message_and_noise_are_nothing_to_be_sure_of():
    assert max((found.score for found in propose(NAME, cut(BEACON, 0.927, 2.463))), default=0) < 0.4


def hum(count, rate_hz):
    return 0.2 * np.sin(2 * np.pi * 50 * np.arange(count) / rate_hz)


SPOILT = {
    "a steady part": lambda wave, rate: wave + 0.3,
    "hum": lambda wave, rate: wave + hum(len(wave), rate),
    "overdriven": lambda wave, rate: np.clip(wave, -0.4, 0.4),
    "quiet": lambda wave, rate: 0.01 * wave,
    "turned round": lambda wave, rate: -wave,
}


@pytest.mark.parametrize("spoilt", SPOILT.values(), ids=SPOILT)
def test_sound_is_read_as_it_comes_from_a_sound_card(spoilt):
    samples = cut(BEACON, 0, 5).channels[0].samples
    wave = np.asarray(samples.values) * samples.scale
    made = spoilt(wave / np.abs(wave).max(), samples.rate_hz).astype(np.float32)
    best = propose(NAME, of_one_channel("channel 1", Samples(made, samples.rate_hz)))[0]
    assert best.recipe.speaks == "Pulses, HDLC" and best.score > 0.9


def test_sound_of_eight_bits_is_read_as_any_other(tmp_path):
    """Their middle is at 128 (RIFF WAVE, as all of up to eight bits)."""
    samples = cut(BEACON, 0, 5).channels[0].samples
    wave = np.asarray(samples.values) * samples.scale
    with wave_module.open(str(tmp_path / "eight.wav"), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(1)
        file.setframerate(round(samples.rate_hz))
        file.writeframes(np.rint(128 + 100 * wave / np.abs(wave).max()).astype(np.uint8).tobytes())
    read = wav.LINES.read(tmp_path / "eight.wav", Path(), None, ReadReport("eight.wav"), Progress())
    best = propose(NAME, read)[0]
    frames = run_recipe(best.recipe, read).result.frames
    whole = cut(BEACON, 0, 5)
    wanted = run_recipe(propose(NAME, whole)[0].recipe, whole).result.frames
    assert [frames.payload_of(row) for row in range(len(frames))] == [
        wanted.payload_of(row) for row in range(len(wanted))
    ]
    assert len(frames) == 3


@pytest.mark.parametrize("leak", [0.05, 0.3, 1.0])
def test_the_leak_of_an_oscillator_is_no_carrier(leak):
    """It stands in the middle of what a receiver hears, as strong as what is sent and stronger."""
    samples = sigmf.LINES.read(PENDANT, Path(), None, ReadReport("pendant"), Progress()).channels[0].samples
    wave = np.asarray(samples.values) * samples.scale + leak * np.float32(samples.scale * np.abs(samples.values).max())
    made = of_one_channel("I/Q", Samples(wave.astype(np.float32), samples.rate_hz), "SigMF")
    best = propose(NAME, made)[0]
    assert best.reasons[0].startswith(("a carrier at 17.6", "a carrier at 17.7")) and best.score > 0.8
    assert best.recipe.speaks == "Pulses, bursts"


def of_one_channel(name, samples, form="WAV"):
    return LineRecording(form, (Channel(name, samples),))


def cut(path, begin_s, end_s):
    """Return a part of a recording of sound."""
    whole = wav.LINES.read(path, Path(), None, ReadReport(str(path)), Progress()).channels[0].samples
    first, last = (round(at * whole.rate_hz) for at in (begin_s, end_s))
    values = np.ascontiguousarray(whole.values)[first:last]
    return of_one_channel("channel 1", Samples(values, whole.rate_hz, whole.scale, whole.offset, begin_ns=0))
