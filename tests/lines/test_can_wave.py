"""CAN from its waveform, against frames stuffed and checked by a plain reference."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import CRC_17, CRC_21, can_bits, drawn, from_levels, jittered, long_can_parts, remainder
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
    (row,) = np.flatnonzero(result.marks.kind == MarkKind.ERROR)
    # the mark stands over the six bits that are too many of a kind, of 2 µs each
    begin = (12 + len(broken)) * 2000
    assert abs(result.marks.start_ns[row] - begin) <= 2000 and abs(result.marks.end_ns[row] - begin - 12_000) <= 2000


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


def test_the_polynomials_give_the_published_remainders():
    """What catalogues of CRCs list for the digits 1 to 9, begun with zero: 0x04F03 and 0x0ED841."""
    digits = "".join(f"{letter:08b}" for letter in b"123456789")
    assert (remainder(digits, CRC_17), remainder(digits, CRC_21)) == (0x04F03, 0x0ED841)


_SIZES = (*range(9), 12, 16, 20, 24, 32, 48, 64)
payloads = st.sampled_from(_SIZES).flatmap(lambda size: st.binary(min_size=size, max_size=size))
long_frames = st.tuples(
    st.booleans(), st.integers(0, 0x1FFFFFFF), payloads, st.booleans(), st.booleans(), st.booleans()
)


@given(
    st.lists(long_frames, min_size=1, max_size=5), st.sampled_from([2, 4, 8, 2.5]), st.sampled_from([0.6, 0.75, 0.875]),
    st.integers(0, 2**31),
)  # fmt: skip
def test_long_frames_are_read_back_with_jitter_at_the_rates_that_are_set(listed, times, switch_point, seed):
    parts, wanted = [(1, 24_000.0)], []
    for extended, number, data, switches, passive, taken in listed:
        number %= 0x20000000 if extended else 0x800
        parts += long_can_parts(number, data, 2000, 2000 / times if switches else None, switch_point, extended, passive,
                                taken)  # fmt: skip
        flags = F.LONG | (F.EXTENDED if extended else 0) | (F.RATE_SWITCH if switches else 0)
        flags |= (F.ERROR_PASSIVE if passive else 0) | (0 if taken else F.REFUSED)
        wanted.append((number, flags, data))
    line = jittered(from_levels([*parts, (1, 24_000)]), 60 / times, seed)
    form = CanLine(line="rx", rate=500_000, data_rate=500_000 * times, switch_point=switch_point)
    assert frames_of(decode_line(form, {"rx": line})) == wanted


def _mixed(count, times, switch_point, seed, bit_ns=2000.0, passive_share=0.1):
    """Return a line of classic and long frames as a bus has them, and what is on it."""
    random = np.random.default_rng(seed)
    parts, wanted = [(1, 40_000.0)], []
    for n in range(count):
        data = random.bytes(int(random.choice(_SIZES)))
        number = int(random.integers(0x800))
        if n % 3 == 0:
            data = data[:8]
            parts += [(bit, bit_ns) for bit in can_bits(number, data)]
            wanted.append((number, 0, data))
        else:
            passive = bool(random.random() < passive_share)
            parts += long_can_parts(number, data, bit_ns, bit_ns / times, switch_point, passive=passive)
            wanted.append((number, F.LONG | F.RATE_SWITCH | (F.ERROR_PASSIVE if passive else 0), data))
        parts.append((1, float(random.uniform(0, 100_000))))
    return jittered(from_levels(parts), 12, seed), wanted


@pytest.mark.parametrize("times", [1, 2, 4, 5, 8, 10])
@pytest.mark.parametrize("switch_point", [0.6, 0.7, 0.8, 0.9])
def test_both_rates_and_where_the_rate_changes_are_measured(times, switch_point):
    line, wanted = _mixed(60, times, switch_point, times * 100 + round(switch_point * 100))
    result = decode_line(CanLine(line="rx"), {"rx": line})
    assert frames_of(result) == wanted
    facts = {fact.name: fact.value for fact in result.facts}
    assert facts["rate"] == pytest.approx(500_000, rel=0.003)
    assert facts["data_rate"] == pytest.approx(500_000 * times, rel=0.006)
    if times > 1:
        assert facts["switch_point"] == pytest.approx(switch_point, abs=0.03)


def test_a_bus_of_long_frames_alone_is_proposed_with_its_rates():
    parts = [(1, 24_000.0)]
    for n in range(12):
        parts += long_can_parts(0x100 + n % 3, bytes([n, 0, 255, n] * 8), 2000, 500)
    best = max(DECODER.propose({"rx": from_levels(parts)}), key=lambda proposal: proposal.score)
    assert not best.settings.inverted and "500.00 kbit/s" in best.reason and "2000.00 kbit/s for data" in best.reason


@pytest.mark.parametrize("size", [0, 8, 16, 20, 64])
def test_a_wrong_crc_or_stuff_count_of_a_long_frame_is_flagged_and_its_data_kept(size):
    data = bytes(range(size))
    for wrong in ({"wrong": 1}, {"wrong": 1 << 16}, {"wrong_count": True}):
        parts = [(1, 24_000.0), *long_can_parts(0x7F, data, 2000, 400, **wrong), (1, 30_000.0)]
        ((address, flags, payload),) = frames_of(
            decode_line(CanLine(line="rx", rate=500_000, data_rate=2.5e6, switch_point=0.8), {"rx": from_levels(parts)})
        )
        assert (address, flags, payload) == (0x7F, F.LONG | F.RATE_SWITCH | F.BAD_CHECK, data)


def test_a_fixed_stuff_bit_that_is_wrong_is_an_error_and_the_next_frame_is_read():
    parts = long_can_parts(0x55, bytes(12), 2000)
    # nine bits of rest and the acknowledge stand behind the delimiter; 6 x 5 bits of check before it
    at = len(parts) - 12 - 1 - 5 - 1
    broken = [*parts[:at], (1 - parts[at][0], 2000.0), *parts[at + 1 :]]
    line = from_levels([(1, 24_000.0), *broken, (1, 24_000.0), *long_can_parts(0x56, b"ok", 2000), (1, 24_000.0)])
    found = frames_of(decode_line(CanLine(line="rx", rate=500_000), {"rx": line}))
    assert found[0][1] & (F.ERROR | F.BAD_CHECK) and found[-1] == (0x56, F.LONG, b"ok")


def test_a_frame_of_a_later_format_is_cut_short_and_the_next_one_is_read():
    """The bit behind that of the long format is dominant in CAN FD; CAN XL sends it recessive."""
    start = can_bits(0x0F3, b"\x01")[:14]  # up to and with the identifier-extension bit, no stuffing within
    bits = [1] * 12 + start + [1, 1] + [0, 1] * 20 + [1] * 14 + can_bits(0x10, b"\x02") + [1] * 12
    found = frames_of(decode(bits, rate=500_000))
    assert found[0] == (0x0F3, F.LONG | F.CUT_SHORT, b"") and found[-1] == (0x10, 0, b"\x02")
