"""CAN from its waveform, against frames stuffed and checked by a plain reference."""

from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import can_bits, drawn, from_levels, jittered
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.can_wave import DECODER, CanLine
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import MarkKind


def decode(bits, bit_ns=2000.0, jitter=0.0, seed=1, **form):
    line = from_levels([(bit, bit_ns) for bit in bits])
    line = jittered(line, jitter, seed) if jitter else line
    return decode_line(CanLine(line="rx", **form), {"rx": line})


def frames_of(result):
    table = result.frames
    return [(int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


def test_the_published_example_of_stuffing_and_crc():
    """Identifier 0x14, one byte 0x01: the bit string worked out by hand in many courses on ISO 11898.

    Unstuffed 0 00000010100 0 0 0 0001 00000001, CRC-15 by long division.
    """
    bits = can_bits(0x14, b"\x01")
    assert bits[:6] == [0, 0, 0, 0, 0, 1], "after five equal bits comes their opposite"
    ((address, flags, payload),) = frames_of(decode([1] * 12 + bits + [1] * 12, rate=500_000))
    assert (address, flags, payload) == (0x14, 0, b"\x01")


frames = st.lists(
    st.tuples(st.booleans(), st.integers(0, 0x1FFFFFFF), st.booleans(), st.binary(max_size=8), st.booleans()),
    min_size=1,
    max_size=6,
)


@given(frames, st.integers(0, 2**31))
def test_what_was_drawn_is_read_back_with_jitter(listed, seed):
    bits, wanted = [1] * 12, []
    for extended, number, remote, data, taken in listed:
        number %= 0x20000000 if extended else 0x800
        data = b"" if remote else data
        bits += can_bits(number, data, extended, remote, taken)
        flags = (F.EXTENDED if extended else 0) | (F.REMOTE if remote else 0) | (0 if taken else F.REFUSED)
        wanted.append((number, flags, data))
    assert frames_of(decode(bits + [1] * 12, jitter=60, seed=seed, rate=500_000)) == wanted


def test_a_sender_half_a_percent_off_is_followed():
    bits = [1] * 12
    for n in range(20):
        bits += can_bits(0x100 + n, bytes([n] * 8)) + [1] * n
    for off in (0.995, 1.005):
        found = frames_of(decode(bits + [1] * 20, bit_ns=2000 * off, rate=500_000))
        assert [address for address, flags, _ in found if flags == 0] == list(range(0x100, 0x114))


def test_a_wrong_crc_is_flagged_and_the_frame_kept():
    ((address, flags, payload),) = frames_of(decode([1] * 12 + can_bits(6, b"ab", wrong_crc=4) + [1] * 12, rate=5e5))
    assert (address, flags, payload) == (6, F.BAD_CHECK, b"ab")


def test_six_equal_bits_are_an_error_and_the_next_frame_is_read():
    broken = can_bits(0x123, b"\x55\x55")[:40]
    while len(set(broken[-2:])) == 1:
        broken.pop()
    bits = [1] * 12 + broken + [0] * 6 + [1] * 14 + can_bits(0x321, b"\x01") + [1] * 12
    result = decode(bits, rate=500_000)
    found = frames_of(result)
    assert found[0][1] & F.ERROR and found[1] == (0x321, 0, b"\x01")
    assert MarkKind.ERROR in set(result.marks.kind)


def test_of_a_long_frame_the_arbitration_part_is_read():
    arbitration = can_bits(0x0F3, b"\x01")[:14]  # up to and with the identifier-extension bit, no stuffing within
    bits = [1] * 12 + arbitration + [1] + [0, 1] * 20 + [1] * 14 + can_bits(0x10, b"\x02") + [1] * 12
    found = frames_of(decode(bits, rate=500_000))
    assert found[0] == (0x0F3, F.LONG | F.CUT_SHORT, b"")
    assert found[-1] == (0x10, 0, b"\x02")


def test_a_frame_cut_by_the_end_is_marked():
    bits = [1] * 12 + can_bits(0x155, b"\x12\x34")[:40]
    ((_, flags, _),) = frames_of(decode(bits, rate=500_000))
    assert flags & F.CUT_SHORT


def test_rate_and_polarity_are_proposed():
    bits = [1] * 12
    for n in range(10):
        bits += can_bits(0x200 + n, bytes([n, 255 - n])) + [1] * 5
    line = from_levels([(bit, 4000) for bit in bits]).inverted()
    best = max(DECODER.propose({"rx": line}), key=lambda proposal: proposal.score)
    assert best.settings.inverted and "250.00 kbit/s" in best.reason
    assert DECODER.propose({"rx": drawn("-_" * 200)}) == []
