"""Frames drawn as waves are read as these frames: every line code and framing, through every format it fits."""

import dataclasses

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from zesty_abacus.core.captures.registry import read_lines
from zesty_abacus.core.draw.errors import DrawError
from zesty_abacus.core.draw.registry import drawers
from zesty_abacus.core.draw.wave import WaveSettings, lines_of, write_wave
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.files.errors import FileError
from zesty_abacus.core.files.writing import Target
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.can_wave import CanLine
from zesty_abacus.core.lines.clocked import ClockedLine
from zesty_abacus.core.lines.i2c import I2cLine
from zesty_abacus.core.lines.manchester import ManchesterLine
from zesty_abacus.core.lines.nibbles import NibbleLine
from zesty_abacus.core.lines.pulses import PulseLine
from zesty_abacus.core.lines.registry import decoders
from zesty_abacus.core.lines.rz_words import RzLine
from zesty_abacus.core.lines.spi import SpiLine
from zesty_abacus.core.lines.spi_wide import WideSpiLine
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.links.bursts import BurstFraming
from zesty_abacus.core.links.hdlc import HdlcFraming
from zesty_abacus.core.links.lin import LinFraming
from zesty_abacus.core.links.modbus_rtu import ModbusRtuFraming
from zesty_abacus.core.links.registers import RegisterFraming
from zesty_abacus.core.links.telegrams import (
    CodeFraming,
    GapFraming,
    LengthFraming,
    LineEndFraming,
    SentenceFraming,
)
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.recipes.model import LevelSetting, new_recipe
from zesty_abacus.core.recipes.run import run_recipe
from zesty_abacus.core.waves.recording import Channel, LineRecording

_ZERO = 1_700_000_000_000_000_000
_OURS = ~(F.SENT | F.RECEIVED)


def table_of(frames, gap_ns=20_000_000):
    batch = Batch()
    for number, (address, flags, payload) in enumerate(frames):
        batch.add(_ZERO + number * gap_ns, payload, address, flags)
    return batch.table()


def told(table):
    """Return what frames say: address, flags, payload, and the time since the first one in microseconds."""
    zero = int(table.time_ns[0]) if len(table) else 0
    return [
        (address, flags & _OURS, table.payload_of(row).hex(), round((time - zero) / 1e5) / 10)
        for row, (time, address, flags) in enumerate(
            zip(table.time_ns.tolist(), table.address.tolist(), table.flags.tolist(), strict=True)
        )
    ]


def read_back(recipe, table, settings=None):
    lines = lines_of(recipe, table, settings)
    recording = LineRecording("drawn", tuple(Channel(name, edges=edges) for name, edges in lines.items()))
    return run_recipe(recipe, recording).result.frames


def check(recipe, frames, gap_ns=20_000_000):
    table = table_of(frames, gap_ns)
    assert told(read_back(recipe, table)) == told(table)


def _checked(text):
    check = 0
    for letter in text.encode():
        check ^= letter
    return f"${text}*{check:02X}".encode()


_SENTENCE = _checked("YZHDG,071.25,T")
payloads = st.lists(st.binary(min_size=1, max_size=12), min_size=1, max_size=8)
faults = st.sampled_from([0, 0, 0, F.PARITY])


@given(
    payloads,
    st.sampled_from([("none", 8, 1.0), ("even", 8, 1.0), ("odd", 8, 2.0), ("mark", 8, 1.0), ("space", 8, 1.5)]),
    st.booleans(),
    st.booleans(),
)
def test_characters_of_a_uart(data, form, inverted, high_first):
    parity, bits, stop = form
    line = UartLine(line="tx", rate=19_200, parity=parity, data_bits=bits, stop_bits=stop, inverted=inverted,
                    high_bit_first=high_first)  # fmt: skip
    check(new_recipe("u", line=line, framing=GapFraming(gap_us=3000)), [(0, 0, payload) for payload in data])


@given(st.binary(max_size=5).map(lambda data: data + b"\x41"), st.sampled_from([F.PARITY, F.FRAMING]))
def test_faults_of_a_character_are_drawn_and_read(payload, flag):
    line = UartLine(line="tx", rate=9600, parity="even")
    check(
        new_recipe("u", line=line, framing=GapFraming(gap_us=5000)), [(0, 0, b"ab"), (0, flag, payload), (0, 0, b"c")]
    )


@pytest.mark.parametrize(
    ("framing", "frames"),
    [
        (LengthFraming(length=3), [(0, 0, b"abc"), (0, 0, b"def")]),
        (CodeFraming(begin="02", end="03"), [(0, 0, b"\x02hello\x03"), (0, 0, b"\x02\x03")]),
        (LineEndFraming(), [(0, 0, b"first line"), (0, 0, b"second")]),
        (SentenceFraming(), [(int.from_bytes(b"YZHDG", "big"), 0, _SENTENCE)]),
        (LinFraming(checksum="enhanced"), [(0x21, 0, b"\x01\x02"), (0x3C, 0, bytes(8)), (0x10, F.BAD_CHECK, b"\x07"),
                                           (0x05, F.UNANSWERED, b""), (0x06, F.PARITY, b"\x09")]),
        (LinFraming(checksum="classic"), [(0x21, 0, b"\x01\x02"), (0x22, 0, b"\xff\xfe")]),
        (ModbusRtuFraming(rate=9600.0), [
            (17 << 24 | 4 << 16 | 10, 0, b"\x00\x03"), (17 << 24 | 4 << 16 | 10, F.ANSWER, b"\1\2\3\4\5\6"),
            (17 << 24 | 6 << 16 | 2, 0, b"\x12\x34"), (17 << 24 | 6 << 16 | 2, F.ANSWER, b"\x12\x34"),
            (17 << 24 | 15 << 16 | 0, 0, b"\x05"), (17 << 24 | 15 << 16 | 0, F.ANSWER, b"\x00\x03"),
            (17 << 24 | 16 << 16 | 5, 0, b"\0\1\0\2"), (17 << 24 | 16 << 16 | 5, F.ANSWER, b"\0\2"),
            (17 << 24 | 3 << 16 | 9, 0, b"\x00\x01"), (17 << 24 | 3 << 16 | 9, F.ANSWER | F.EXCEPTION, b"\x02"),
        ]),
    ],
)  # fmt: skip
def test_framings_of_bytes(framing, frames):
    check(new_recipe("u", line=UartLine(line="tx", rate=9600.0), framing=framing), frames, 60_000_000)


@given(
    st.lists(
        st.tuples(st.integers(0, 127), st.sampled_from([0, F.READ, F.REFUSED]), st.binary(min_size=1, max_size=6)),
        min_size=1,
        max_size=6,
    )
)
def test_transfers_of_i2c(frames):
    frames = [(a, f, p) for a, f, p in frames if a >> 3 != 0b1111]
    check(new_recipe("i", line=I2cLine(clock="scl", data="sda")), [*frames, (0x31, F.REFUSED, b"")])


def test_long_addresses_of_i2c():
    check(
        new_recipe("i", line=I2cLine(clock="scl", data="sda")), [(0x2A5, F.EXTENDED, b"\x01\x02"), (0x50, 0, b"\x03")]
    )


def test_registers_behind_i2c():
    recipe = new_recipe("r", line=I2cLine(clock="scl", data="sda"), framing=RegisterFraming())
    device = 0x5A << 16
    check(recipe, [(device | 0x18, 0, b"\5\x0a"), (device | 0x10, 0, b""), (device | 0x10, F.READ, b"\0\x8e\1\x6c")])


@given(
    st.lists(st.tuples(st.binary(min_size=4, max_size=4), st.binary(min_size=4, max_size=4)), min_size=1, max_size=5),
    st.integers(0, 3),
    st.booleans(),
    st.booleans(),
    st.sampled_from([8, 16]),
)
def test_transfers_of_spi(transfers, mode, low_first, select_low, bits):
    line = SpiLine(clock="sck", to_device="out", from_device="in", select="cs", select_low=select_low, mode=mode,
                   word_bits=bits, low_bit_first=low_first)  # fmt: skip
    batch = Batch()
    for number, (out, back) in enumerate(transfers):
        batch.add(_ZERO + number * 1_000_000, out, 0)
        batch.add(_ZERO + number * 1_000_000, back, 1, F.ANSWER)
    table = batch.table()
    assert told(read_back(new_recipe("s", line=line), table)) == told(table)


@pytest.mark.parametrize("mode", range(4))
def test_spi_without_a_select_line(mode):
    check(
        new_recipe("s", line=SpiLine(clock="sck", to_device="out", mode=mode)),
        [(0, 0, b"\x0f\x31"), (0, 0, b"\xa5\x5a")],
    )


wide_transfers = st.tuples(
    st.sampled_from([0x9F, 0xEB]), st.binary(min_size=2, max_size=2), st.binary(min_size=1, max_size=5)
)


@given(st.integers(0, 3), st.booleans(), st.integers(1, 9), st.lists(wide_transfers, min_size=1, max_size=5))
def test_frames_of_spi_on_lines_that_work_together(mode, four, wait, transfers):
    more = {"data_2": "c", "data_3": "d"} if four else {}
    line = WideSpiLine(clock="sck", select="cs", data_0="a", data_1="b", mode=mode, wide_commands="EB", wide_bytes=2,
                       wait_clocks=wait, **more)  # fmt: skip
    frames = []
    for command, address, answer in transfers:
        out = bytes([command]) + (address if command == 0xEB else bytes(len(answer) - 1))
        frames += [(0, 0, out), (1, F.ANSWER, answer)]
    table = table_of(frames)
    # both frames of a transfer begin at once
    table = dataclasses.replace(table, time_ns=np.repeat(table.time_ns[::2], 2))
    assert told(read_back(new_recipe("s", line=line), table)) == told(table)


@given(st.lists(st.binary(min_size=3, max_size=3), min_size=1, max_size=5), st.sampled_from([4, 5]),
       st.sampled_from(["recommended", "legacy"]), st.sampled_from([0, F.BAD_CHECK]))  # fmt: skip
def test_half_bytes(payloads, count, check_form, flags):
    line = NibbleLine(line="x", tick_us=10, nibbles=count, check=check_form)
    shown = [payload if count == 5 else payload[:2] + bytes([payload[2] & 0xF0]) for payload in payloads]
    check(new_recipe("n", line=line), [(0, flags, payload) for payload in shown])


can_frames = st.one_of(
    st.tuples(st.integers(0, 0x7FF), st.sampled_from([0, 0, F.REFUSED, F.BAD_CHECK]), st.binary(max_size=8)),
    st.tuples(st.integers(0, 0x1FFFFFFF), st.just(F.EXTENDED), st.binary(max_size=8)),
    st.tuples(st.integers(0, 0x7FF), st.just(F.REMOTE), st.just(b"")),
    st.tuples(
        st.integers(0, 0x7FF),
        st.sets(st.sampled_from([F.RATE_SWITCH, F.ERROR_PASSIVE, F.REFUSED, F.BAD_CHECK])).map(
            lambda f: F.LONG | sum(f)
        ),
        st.sampled_from([0, 1, 7, 8, 12, 16, 20, 64]).flatmap(lambda size: st.binary(min_size=size, max_size=size)),
    ),
)


@given(st.lists(can_frames, min_size=1, max_size=6), st.booleans())
def test_frames_of_can(frames, inverted):
    line = CanLine(line="bus", rate=500_000, data_rate=2_500_000, switch_point=0.7, inverted=inverted)
    check(new_recipe("c", line=line), frames, 2_000_000)


@given(
    st.lists(
        st.tuples(st.integers(0, 1), st.lists(st.integers(0, 0xFFFF), min_size=1, max_size=4)), min_size=2, max_size=5
    ),
    st.sampled_from(["fall", "rise"]),
    st.sampled_from(["odd", "even", "none"]),
    st.booleans(),
)
def test_manchester_words(groups, one, parity, two_wires):
    line = ManchesterLine(line="bus", minus="minus" if two_wires else "", half_bit_us=5, one=one, parity=parity)
    # a group goes on with the last sync, so that only its first word may have another
    frames = [(sync << 10, 0, b"".join(word.to_bytes(2, "big") for word in words)) for sync, words in groups]
    check(new_recipe("m", line=line), frames, 2_000_000)


def test_messages_of_a_command_bus():
    line = ManchesterLine(line="bus", half_bit_us=0.5, standard="1553")
    terminal, sub = 5, 3
    address = terminal << 5 | sub
    batch = Batch()
    batch.add(_ZERO, b"\x12\x34\x56\x78", address)
    batch.add(_ZERO + 66_000, bytes(((terminal << 3), 0)), address, F.ANSWER)
    table = batch.table()
    assert told(read_back(new_recipe("b", line=line), table)) == told(table)


@given(st.lists(st.tuples(st.binary(min_size=4, max_size=4)), min_size=3, max_size=6), st.booleans())
def test_words_that_return_to_the_middle(words, two_wires):
    line = RzLine(line="plus", minus="minus" if two_wires else "", bit_us=10, parity="none")
    frames = [(word[0], 0, word) for (word,) in words]
    check(new_recipe("z", line=line), frames, 1_000_000)


@given(
    st.lists(st.tuples(st.integers(0, 1), st.binary(min_size=1, max_size=4)), min_size=1, max_size=5),
    st.booleans(),
    st.booleans(),
    st.booleans(),
)
def test_clocked_bursts(frames, on_rise, low_first, at_last):
    line = ClockedLine(clock="ck", data="d", request="rq", on_rise=on_rise, low_bit_first=low_first,
                       at_last_clock=at_last, burst_gap_us=250, frame_gap_us=2000)  # fmt: skip
    check(new_recipe("k", line=line), [(address, 0, payload) for address, payload in frames])


@given(st.lists(st.binary(min_size=2, max_size=4), min_size=1, max_size=4),
       st.sampled_from(["width", "distance", "biphase"]), st.booleans(), st.booleans(), st.integers(0, 7))  # fmt: skip
def test_pulse_trains(data, coding, one_is_long, inverted, fewer):
    frames = []
    for payload in data:
        count = len(payload) * 8 - fewer
        value = int.from_bytes(payload, "big") >> fewer
        if coding == "biphase":
            # a last long level that is low is not told from the pause
            value = value & ~1 | (not one_is_long)
        frames.append((count, 0, (value << fewer).to_bytes(len(payload), "big")))
    form = {"coding": coding, "one_is_long": one_is_long, "inverted": inverted}
    line = PulseLine(line="ir", unit_us=350, burst_gap_us=6000, **form)
    recipe = new_recipe("p", line=line, framing=BurstFraming(vote=False))
    table = table_of(frames, 300_000_000)
    found = read_back(recipe, table)
    assert [one[:3] for one in told(found)] == [one[:3] for one in told(table)]
    assert np.diff(found.time_ns).tolist() == np.diff(table.time_ns).tolist()


def test_a_message_that_was_voted_is_repeated():
    line = PulseLine(line="ir", coding="width", unit_us=350, burst_gap_us=6000)
    check(new_recipe("p", line=line, framing=BurstFraming()), [(26, F.VOTED, b"\xaa\x71\x12\x80")])


@given(st.lists(st.binary(min_size=2, max_size=20), min_size=1, max_size=4), st.sampled_from(["", "17 12"]))
@example([bytes.fromhex("CFC697C983E7")], "17 12")
def test_packets_between_flags(data, scrambler):
    line = PulseLine(line="rx", coding="plain", transitions=True, unit_us=100, burst_gap_us=1e9, scrambler=scrambler)
    recipe = new_recipe("h", line=line, framing=HdlcFraming())
    table = table_of([(0, 0, payload) for payload in data], 200_000_000)
    found = read_back(recipe, table)
    whole = [one[2] for one in told(found) if not one[1]]
    assert whole == [payload.hex() for payload in data]


def test_a_drawing_begins_at_nothing_with_its_lines_at_rest():
    lines = lines_of(new_recipe("i", line=I2cLine(clock="scl", data="sda")), table_of([(0x31, 0, b"\x01")]), None)
    assert {(edges.begin_ns, edges.first) for edges in lines.values()} == {(0, 1)}
    assert all(edges.time_ns[0] > 0 and edges.time_ns[-1] < edges.end_ns for edges in lines.values())


def test_every_line_code_is_drawn():
    assert {decoder.settings for decoder in decoders()} == set(drawers())


# through files

_UART = new_recipe("u", line=UartLine(line="tx", rate=9600.0), framing=GapFraming(gap_us=5000))
_PULSES = new_recipe("p", line=PulseLine(line="line", coding="width", unit_us=350, burst_gap_us=6000),
                     framing=BurstFraming(vote=False))  # fmt: skip
_TONES = new_recipe(
    "t", line=PulseLine(line="channel 1", coding="plain", transitions=True, unit_us=1e6 / 1200, burst_gap_us=1e9),
    framing=HdlcFraming(),
    levels=(LevelSetting(channel="channel 1", kind="tones", carrier_hz=1200.0, high_hz=2200.0),),
)  # fmt: skip
_KEYED = new_recipe(
    "k",
    line=PulseLine(line="I/Q", coding="width", unit_us=350, burst_gap_us=6000),
    framing=BurstFraming(vote=False),
    levels=(LevelSetting(channel="I/Q", kind="envelope"),),
)
_WORDS = new_recipe("m", line=ManchesterLine(line="bus", half_bit_us=20))
_BYTES = [(0, 0, b"hello"), (0, 0, b"\x00\xff\x55")]
_BITS = [(26, 0, b"\xaa\x71\x12\x80"), (26, 0, b"\x0f\x71\x12\x40")]


@pytest.mark.parametrize(
    ("name", "recipe", "frames", "settings"),
    [
        ("a.vcd", _UART, _BYTES, WaveSettings(jitter_ns=2000)),
        ("a.csv", _UART, _BYTES, WaveSettings(noise=0.05)),
        ("a.pulses", _PULSES, _BITS, WaveSettings()),
        (
            "a.wav",
            new_recipe("u", line=UartLine(line="channel 1", rate=2400.0), framing=GapFraming(gap_us=9000)),
            _BYTES,
            WaveSettings(noise=0.02),
        ),
        ("a.wav", _TONES, [(0, 0, b"YZ7 position"), (0, 0, b"YZ7 another one")], WaveSettings(noise=0.02)),
        ("a.sigmf-meta", _KEYED, _BITS, WaveSettings(noise=0.02)),
        ("a.csv", _WORDS, [(0, 0, b"\x12\x34\x56\x78"), (1 << 10, 0, b"\xff\x00")], WaveSettings(noise=0.05)),
    ],
)
def test_what_a_file_holds_is_read_as_these_frames(tmp_path, name, recipe, frames, settings):
    table = table_of(frames, 400_000_000)
    write_wave(Target(tmp_path / name), recipe, table, settings)
    recording, _ = read_lines(tmp_path / name, tmp_path / "columns")
    found = run_recipe(recipe, recording).result.frames
    assert [one[:3] for one in told(found)] == [one[:3] for one in told(table)]
    assert np.abs(np.diff(found.time_ns) - np.diff(table.time_ns)).max(initial=0) < 2e6


@pytest.mark.parametrize(
    ("name", "recipe", "frames", "words"),
    [
        ("a.docx", _UART, _BYTES, "no waves are written as '.docx'"),
        ("a.vcd", _WORDS, [(0, 0, b"\1\2")], "three levels"),
        ("a.wav", new_recipe("i", line=I2cLine(clock="a", data="b")), [(1, 0, b"\1")], "holds one line"),
        ("a.vcd", new_recipe("n"), _BYTES, "does not say what the wires speak"),
        ("a.vcd", _UART, [], "no frame to draw"),
        (
            "a.vcd",
            new_recipe("c", line=CanLine(line="x")),
            [(1, F.LONG, bytes(13))],
            "has 0 to 8, 12, 16, 20, 24, 32, 48 or 64 bytes, not 13",
        ),
        ("a.vcd", new_recipe("c", line=CanLine(line="x")), [(1, 0, bytes(9))], "classic frame has 0 to 8 bytes, not 9"),
        ("a.vcd", new_recipe("c", line=CanLine(line="x")), [(1, F.LONG | F.REMOTE, b"")], "asks for no data"),
        ("a.vcd", new_recipe("c", line=CanLine(line="x")), [(1, F.ERROR, bytes(8))], "no errors"),
        ("a.vcd", _WORDS, [(9 << 10, 0, b"\1\2")], "there is no sync 9"),
        ("a.vcd", _WORDS, [(0, 0, b"\1\2\3")], "no whole words"),
        ("a.wav", new_recipe("c", line=CanLine(line="channel 1", rate=1e6)), [(1, 0, b"\1")], "samples a second"),
    ],
)
def test_what_cannot_be_written_is_told_and_nothing_is_there(tmp_path, name, recipe, frames, words):
    with pytest.raises((DrawError, MisuseError)) as caught:
        write_wave(Target(tmp_path / name), recipe, table_of(frames) if frames else Batch().table())
    assert words in str(caught.value)
    assert list(tmp_path.iterdir()) == []


def test_frames_that_overlap_are_told_with_what_to_do():
    with pytest.raises(DrawError, match="Set a higher rate"):
        lines_of(_UART, table_of(_BYTES, gap_ns=1_000_000))


def test_a_file_that_is_there_stays(tmp_path):
    (tmp_path / "a.vcd").write_text("mine")
    with pytest.raises(FileError):
        write_wave(Target(tmp_path / "a.vcd"), _UART, table_of(_BYTES))
    assert (tmp_path / "a.vcd").read_text() == "mine"
