"""What ways of framing say of bytes and frames: their scores and words by hand, at their limits and beside them."""

import pytest

from tests.links.test_over_can import announced, long_frames
from tests.links.test_over_can import table_of as can_table
from tests.links.test_telegrams import bytes_result, framed
from tests.recipes.test_segments import crc16
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.result import LineResult, Marks
from zesty_abacus.core.links.framing import framing_of, framings
from zesty_abacus.core.links.iso11783 import GroupFraming
from zesty_abacus.core.links.length_field import LengthFieldFraming
from zesty_abacus.core.links.modbus_rtu import ModbusRtuFraming
from zesty_abacus.core.links.modbus_tcp import ModbusTcpFraming
from zesty_abacus.core.links.registers import RegisterFraming
from zesty_abacus.core.links.telegrams import CodeFraming, GapFraming, LineEndFraming, SentenceFraming


def judged(name, result):
    return next(one for one in framings() if one.name == name).judge(result)


def of_frames(*frames):
    table = can_table(*frames)
    return LineResult(table, table.time_ns, Marks.none())


def checked(text):
    check = 0
    for letter in text.encode():
        check ^= letter
    return f"${text}*{check:02X}\r\n".encode()


def test_groups_with_silence_fit_nearly_everything():
    assert judged("silent gap", bytes_result([b"ab", b"cd"])) == (
        GapFraming(), 0.4, "2 groups of bytes with silence between them",
    )  # fmt: skip
    assert judged("silent gap", bytes_result([b"ab", b"c"])) is None, "three bytes are too few"
    assert judged("silent gap", bytes_result([b"abcd"])) is None, "one group has no silence"


def test_codes_are_found_in_nine_of_ten_groups():
    telegram = b"\x02abc\x03"
    assert judged("start and end codes", bytes_result([telegram] * 8)) == (
        CodeFraming(begin="02", end="03"), 0.7, "100% of the groups begin with 02 and end with 03",
    )  # fmt: skip
    assert judged("start and end codes", bytes_result([telegram] * 7)) is None
    flags = bytes_result([b"\x7eabc\x7e"] * 19 + [b"abcde"])
    assert judged("start and end codes", flags)[2] == "95% of the groups begin with 7E and end with 7E"
    assert judged("start and end codes", bytes_result([telegram] * 9 + [b"abcde"])) is None, "nine of ten are not more"


def test_lines_are_text_with_two_ends():
    assert judged("line end", bytes_result([b"speed 12\r\n", b"speed 13\r\n"])) == (
        LineEndFraming(), 0.6, "100% of the bytes are text, in 2 lines",
    )  # fmt: skip
    assert judged("line end", bytes_result([b"speed 12\r\n"])) is None
    line = b"speed 12, wind 7, sea 2, sky 8.\t\n"
    assert judged("line end", bytes_result([line] * 3 + [b"\x01"]))[1] == pytest.approx(0.6 * 99 / 100)
    assert judged("line end", bytes_result([line[:31], b"\n", line, b"\x01\x7f\x80"])) is None


def test_sentences_are_believed_by_half_of_their_checks():
    good, bad = checked("HEHDT,12.5,T"), b"$HEHDT,12.5,T*00\r\n"
    assert judged("checked sentences", bytes_result([good] * 2 + [bad] * 2)) == (
        SentenceFraming(), 0.75, "2 of 4 sentences have a check that agrees",
    )  # fmt: skip
    assert judged("checked sentences", bytes_result([good, bad])) is None, "one that agrees is chance"
    assert judged("checked sentences", bytes_result([good] * 2 + [bad] * 3)) is None


def test_reads_that_follow_a_pointer_are_registers():
    pointer, read = (0x5A, b"\x10", 0), (0x5A, b"\x00\x07", F.READ)
    both = of_frames(pointer, read, pointer, read)
    assert judged("register device", both) == (
        RegisterFraming(),
        pytest.approx(0.9),
        "100% of the reads follow a write of one byte",
    )
    half = judged("register device", of_frames(pointer, read, read))
    assert half == (RegisterFraming(), pytest.approx(0.75), "50% of the reads follow a write of one byte")
    assert judged("register device", of_frames(pointer, read, read, read)) is None
    assert judged("register device", of_frames(pointer, pointer)) is None
    # a read before everything follows nothing, and is not counted
    assert judged("register device", of_frames(read, pointer, read))[2].startswith("100% of")


def test_announced_messages_that_are_whole_are_a_transport():
    whole = long_frames(*announced(bytes(range(20)), 0xFECA, 0x00))
    cut = long_frames(*announced(bytes(range(20)), 0xFEE3, 0x21))[:2]
    assert judged("ISO 11783-3", of_frames(*whole)) == (GroupFraming(), 0.92, "1 of 1 announced message is whole")
    assert judged("ISO 11783-3", of_frames(*whole, *cut))[2] == "1 of 2 announced messages is whole"
    assert judged("ISO 11783-3", of_frames(*cut)) is None


def test_a_server_on_the_port_of_modbus():
    one = (502 << 32 | 1, b"\x00\x01\x00\x00\x00\x06\x01\x03\x00\x00\x00\x01", 0)
    assert judged("Modbus TCP", of_frames(one, (80 << 32 | 1, b"GET", 0))) == (
        ModbusTcpFraming(), 0.9, "1 piece of TCP streams with a server on port 502",
    )  # fmt: skip
    assert judged("Modbus TCP", of_frames((503 << 32 | 1, b"abc", 0))) is None


def test_without_a_length_as_many_bytes_are_kept_as_a_telegram_may_have():
    """A length of nothing: without a code there is nothing to go on by, and 4 096 bytes are one piece."""
    form = LengthFieldFraming(place=0, width=1, adds=0)
    _, frames = framed(form, bytes_result([bytes(5000)]))
    assert [len(payload) for payload, _ in frames] == [4096, 904]
    assert all(flags & F.FRAMING for _, flags in frames)


def checked_unit(data):
    return data + crc16(data)


def units(*heads, spoilt=0):
    """Return bytes of units by their unit and function, some with a wrong check."""
    made = [checked_unit(bytes([unit, function, 0, number])) for number, (unit, function) in enumerate(heads)]
    return bytes_result([one[:-1] + bytes([one[-1] ^ 1]) if n < spoilt else one for n, one in enumerate(made)])


# reading and writing, diagnostics, events, who is there, files, masks and queues, an envelope, two stretches for users
PUBLIC = {*range(1, 9), 11, 12, 15, 16, 17, 20, 21, 22, 23, 24, 43, *range(65, 73), *range(100, 111)}


def test_units_ask_for_functions_that_there_are():
    """Others frame their telegrams with this CRC as well; an answer that refuses has the highest bit besides."""
    found = {function: judged("Modbus RTU", units(*[(17, function)] * 4)) for function in range(256)}
    assert {function & 0x7F for function, one in found.items() if one is not None} == PUBLIC
    assert {function for function, one in found.items() if one is not None} == PUBLIC | {one | 0x80 for one in PUBLIC}
    assert found[3][1:] == (1.0, "4 of 4 units have a CRC-16 that agrees")


@pytest.mark.parametrize(("spoilt", "words"), [
    (0, "5 of 5 have a CRC-16 that agrees"), (2, "3 of 5 have a CRC-16 that agrees"),
    (5, "0 of 5 have a CRC-16 that agrees"),
])  # fmt: skip
def test_it_is_told_how_many_units_agree(spoilt, words):
    made = framing_of(ModbusRtuFraming()).apply(ModbusRtuFraming(), units(*[(1, 3)] * 5, spoilt=spoilt))
    (told,) = [fact for fact in made.facts if fact.name == "units"]
    assert (told.value, told.words) == (5.0, words)


def test_units_of_which_few_are_spoilt_or_strange():
    assert judged("Modbus RTU", units(*[(247, 3)] * 4))[1] == 1.0
    assert judged("Modbus RTU", units(*[(248, 3)] * 4)) is None, "there are 247 units"
    assert judged("Modbus RTU", units(*[(1, 3)] * 4, spoilt=2))[1:] == (
        0.75, "2 of 4 units have a CRC-16 that agrees"
    )  # fmt: skip
    assert judged("Modbus RTU", units(*[(1, 3)] * 5, spoilt=3)) is None
    assert judged("Modbus RTU", units(*[(1, 3)] * 2, spoilt=1)) is None, "one that agrees is an accident"
    half = judged("Modbus RTU", units((1, 3), (1, 3), (1, 9), (1, 9)))
    assert half[1:] == (0.25, "4 of 4 units have a CRC-16 that agrees; 50% of them ask for a function that there is")
    assert judged("Modbus RTU", units((1, 3), (1, 9), (1, 9))) is None
    assert judged("Modbus RTU", bytes_result([checked_unit(b"\x01\x03\x00")] * 1)) is None, "seven bytes are too few"
