"""HDLC frames out of bits, repeats that vote, and the registers of a device."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.kind_key import KindKey
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.lines.result import CHECK, DATA, BitRun, LineResult, LineRoom, Marks
from zesty_abacus.core.links import hdlc
from zesty_abacus.core.links.bursts import BurstFraming, vote_repeats
from zesty_abacus.core.links.framing import framing_of
from zesty_abacus.core.links.hdlc import HdlcFraming
from zesty_abacus.core.links.registers import RegisterFraming, _state, register_state
from zesty_abacus.core.protocols.byte_registers import NO_REGISTER
from zesty_abacus.core.protocols.registry import protocol_named


def bits_result(bursts, gap_ns=10_000_000, bit_ns=1_000_000, flags=None):
    start, values, bounds, now = [], [], [0], 0
    for burst in bursts:
        for bit in burst:
            start.append(now)
            values.append(bit)
            now += bit_ns
        bounds.append(len(values))
        now += gap_ns
    start = np.array(start, np.int64)
    made = np.zeros(len(bursts), np.uint32) if flags is None else np.array(flags, np.uint32)
    run = BitRun(start, start + bit_ns, np.array(values, np.uint8), np.array(bounds, np.int64), made)
    empty = LineRoom(0, 0, 0).result()
    return LineResult(empty.frames, empty.ends_ns, Marks.none(), bit_run=run)


def stuffed(payload, wrong=0):
    """Return the bits of a frame between flags, with the check worked out as a long division."""
    check = 0xFFFF
    for byte in payload:
        for n in range(8):
            low = (check ^ (byte >> n)) & 1
            check = check >> 1 ^ (0x8408 if low else 0)
    check = check ^ 0xFFFF ^ wrong
    bits, ones = [0, 1, 1, 1, 1, 1, 1, 0] * 2, 0
    for byte in [*payload, check & 0xFF, check >> 8]:
        for n in range(8):
            bits.append(byte >> n & 1)
            ones = ones + 1 if byte >> n & 1 else 0
            if ones == 5:
                bits.append(0)
                ones = 0
    return [*bits, 0, 1, 1, 1, 1, 1, 1, 0]


def frames_of(settings, result):
    made = framing_of(settings).apply(settings, result)
    made.frames.check()
    return [(made.frames.payload_of(n), int(made.frames.flags[n])) for n in range(len(made.frames))]


def test_the_check_is_the_published_one():
    """CRC-16/X-25 over '123456789' is 0x906E in the CRC catalogue."""
    assert hdlc.fcs16(np.frombuffer(b"123456789", np.uint8), 0, 9) == 0x906E


@given(st.lists(st.binary(min_size=2, max_size=20), min_size=1, max_size=5), st.integers(0, 20))
def test_frames_come_out_of_their_bits(payloads, idle):
    bits = [bit for payload in payloads for bit in [1] * idle + stuffed(payload)]
    assert frames_of(HdlcFraming(), bits_result([bits])) == [(payload, 0) for payload in payloads]


def test_one_flag_may_end_a_frame_and_begin_the_next():
    bits = stuffed(b"first") + stuffed(b"second")[16:]
    assert [payload for payload, _ in frames_of(HdlcFraming(), bits_result([bits]))] == [b"first", b"second"]


def test_a_wrong_check_is_flagged_or_left_out():
    bits = stuffed(b"broken", wrong=1)
    assert frames_of(HdlcFraming(), bits_result([bits])) == [(b"broken", F.BAD_CHECK)]
    assert frames_of(HdlcFraming(keep_wrong=False), bits_result([bits])) == []


def test_a_frame_given_up_by_its_sender_is_none():
    bits = stuffed(b"half")[:40] + [1] * 9 + stuffed(b"whole")
    assert frames_of(HdlcFraming(), bits_result([bits])) == [(b"whole", 0)]


def test_each_byte_of_a_frame_has_its_mark_and_what_was_given_up_has_none():
    bits = stuffed(b"one") + stuffed(b"half")[:40] + [1] * 9 + stuffed(b"two!")
    rows = framing_of(HdlcFraming()).apply(HdlcFraming(), bits_result([bits])).marks.rows
    data = [(int(kind), int(value)) for kind, value in rows[:, 2:4] if kind in (DATA, CHECK)]
    assert [(kind, value) for kind, value in data if kind == DATA] == [(DATA, byte) for byte in b"onetwo!"]
    assert [kind for kind, _ in data] == [DATA] * 3 + [CHECK] * 2 + [DATA] * 4 + [CHECK] * 2
    begins = rows[rows[:, 2] == DATA, 0]
    assert begins[0] == 16_000_000 and (np.diff(begins[:3]) == 8_000_000).all(), "behind both flags, 8 bits each"


@given(st.lists(st.lists(st.integers(0, 1), max_size=120), max_size=3))
def test_any_bits_do_no_harm(bursts):
    for settings in (HdlcFraming(), BurstFraming(), BurstFraming(vote=False), BurstFraming(sync="101")):
        frames_of(settings, bits_result(bursts))


MESSAGE = [1, 0, 1, 1, 0, 0, 1, 0, 1, 1, 1, 0, 0, 1, 0, 1, 1, 1, 0, 0]


def spoiled(bits, *places):
    return [1 - bit if n in places else bit for n, bit in enumerate(bits)]


def test_repeats_vote_bit_by_bit():
    bursts = [MESSAGE, spoiled(MESSAGE, 3), spoiled(MESSAGE, 7), MESSAGE, spoiled(MESSAGE, 3)]
    (vote,) = vote_repeats(bits_result(bursts).bit_run, BurstFraming())
    assert vote.bits.tolist() == MESSAGE
    assert vote.agreement[3] == pytest.approx(0.6) and vote.agreement[7] == pytest.approx(0.8)
    assert (np.delete(vote.agreement, [3, 7]) == 1).all() and vote.text == "B2 E5 C0 · 20 bits"


def test_a_later_press_with_another_message_is_not_mixed_in():
    """Four bits of twenty differ, as they would between two buttons."""
    other = spoiled(MESSAGE, 10, 11, 12)
    first = bits_result([MESSAGE] * 4 + [other] * 4)
    run = first.bit_run
    later = np.where(np.arange(len(run)) >= 80, 100_000_000, 0)
    run = BitRun(run.start_ns + later, run.end_ns + later, run.bit, run.bounds, run.flags)
    votes = vote_repeats(run, BurstFraming())
    assert [vote.bits.tolist() for vote in votes] == [MESSAGE, other]
    assert [len(vote.bursts) for vote in votes] == [4, 4]


def test_a_cropped_burst_has_no_vote_and_is_kept():
    result = bits_result([MESSAGE, MESSAGE, MESSAGE[:7]], flags=[0, 0, F.CUT_SHORT])
    assert frames_of(BurstFraming(), result) == [(b"\xb2\xe5\xc0", F.VOTED), (b"\xb2", F.CUT_SHORT)]


@pytest.mark.parametrize("part", [MESSAGE[5:], MESSAGE[:13], MESSAGE[-4:]])
@pytest.mark.parametrize("first", [False, True])
def test_a_part_of_a_message_beside_it_is_marked_and_no_message_of_its_own(part, first):
    """The receiver woke up late, or somebody let go early; the recording itself goes on."""
    bursts = [part, MESSAGE, MESSAGE] if first else [MESSAGE, MESSAGE, part]
    result = bits_result(bursts)
    made = [flags for _, flags in frames_of(BurstFraming(), result)]
    assert made == ([F.CUT_SHORT, F.VOTED] if first else [F.VOTED, F.CUT_SHORT])
    _, _, words = framing_of(BurstFraming()).judge(result)
    assert words == "3 bursts, 1 distinct message"


def test_short_messages_that_are_no_part_stay_messages():
    other = spoiled(MESSAGE[:13], 2)
    assert [flags for _, flags in frames_of(BurstFraming(), bits_result([MESSAGE, MESSAGE, other]))] == [F.VOTED, 0]
    alone = bits_result([MESSAGE, MESSAGE[:13]])
    assert [flags for _, flags in frames_of(BurstFraming(), alone)] == [0, 0], "nobody sent the longer one again"


def test_bursts_too_short_for_a_message_are_judged_to_be_none():
    assert framing_of(BurstFraming()).judge(bits_result([[1, 0, 1], [0, 1, 1], [1]])) is None


def test_how_sure_bursts_are_goes_with_how_much_agrees():
    def score(bursts):
        return framing_of(BurstFraming()).judge(bits_result(bursts))[1]

    random = np.random.default_rng(3)
    rubbish = [random.integers(0, 2, int(size)).tolist() for size in random.permutation(60)[:20] + 5]
    of_one_size = [random.integers(0, 2, 24).tolist() for _ in range(20)]
    assert score(rubbish) == pytest.approx(0.2)
    assert score(of_one_size) == pytest.approx(0.5)
    assert score([MESSAGE] * 6) == pytest.approx(0.85)
    preamble = [1, 0] * 4
    assert score([preamble + bits for bits in of_one_size]) == pytest.approx(0.7), "as surely as nobody repeats them"
    assert score([preamble + bits for bits in of_one_size[:2]]) == pytest.approx(0.5), "two may begin alike by chance"
    assert score([preamble + of_one_size[0]] * 6 + [preamble + bits for bits in of_one_size[:4]] * 6) <= 0.85
    assert 0.6 < score([MESSAGE, spoiled(MESSAGE, 3), MESSAGE, spoiled(MESSAGE, 9)]) < 0.85


def test_preamble_and_common_beginning_are_found():
    head = [1, 0, 1, 0, 1, 0, 1, 0, 0, 1, 1]
    bursts = [head + tail for tail in ([1, 0, 0, 1], [0, 1, 1, 1], [1, 1, 0, 0])]
    made = framing_of(BurstFraming()).apply(BurstFraming(vote=False), bits_result(bursts))
    assert {fact.name: fact.words for fact in made.facts} == {
        "preamble": "8 bits in turn", "all begin with": "10101010011",
    }  # fmt: skip


def test_a_message_begins_after_its_sync():
    result = bits_result([[0, 1, 0, 1, 1, 1, *MESSAGE[:8]], [0, 0, 0, 0, 0]])
    made = framing_of(BurstFraming()).apply(BurstFraming(sync="111", vote=False, fewest_bits=1), result)
    assert made.frames.payload_of(0) == b"\xb2" and int(made.frames.address[0]) == 8
    assert made.frames.flags.tolist() == [0, F.FRAMING]
    with pytest.raises(MisuseError, match="sync"):
        frames_of(BurstFraming(sync="12"), result)


def transfers(parts):
    sizes = np.array([len(data) for _, _, data in parts], np.uint32)
    return FrameTable(
        np.arange(len(parts), dtype=np.int64) * 1000,
        np.zeros(len(parts), np.uint16),
        np.array([device for device, _, _ in parts], np.int64),
        np.array([F.READ if read else 0 for _, read, _ in parts], np.uint32),
        (np.cumsum(sizes) - sizes).astype(np.int64),
        sizes,
        np.frombuffer(b"".join(data for _, _, data in parts), np.uint8),
    )


def registers(parts, **settings):
    table = transfers(parts)
    result = LineResult(table, table.time_ns, Marks.none())
    return framing_of(RegisterFraming()).apply(RegisterFraming(**settings), result).frames


def test_transfers_that_name_no_register_are_on_none():
    """Nobody took the address; somebody asked whether it is there; a read before anybody said from where."""
    frames = registers([(0x5A, True, b"ab"), (0x29, False, b""), (0x5A, False, b"\x00"), (0x5A, True, b"c")])
    spoken = protocol_named("registers")
    keys = [KindKey(0, int(address), int(flags)) for address, flags in zip(frames.address, frames.flags, strict=True)]
    assert [spoken.kind_text(key) for key in keys] == [
        "0x5A read, nobody said where", "0x29 no register", "0x5A write from 0x00", "0x5A read from 0x00",
    ]  # fmt: skip
    assert [spoken.device_of(key) for key in keys] == [0x5A, 0x29, 0x5A, 0x5A]
    assert [spoken.exchange_of(key) is None for key in keys] == [True, True, False, False]
    state = register_state(frames, 0x5A, 10_000)
    assert state.value[:3].tolist() == [ord("c"), 0, 0], "what came from nobody knows where is no register's"


def test_the_pointer_goes_on_by_itself():
    frames = registers(
        [(0x5A, False, b"\x10"), (0x5A, True, b"ab"), (0x5A, True, b"c"), (0x5A, False, b"\x18\x01\x02")]
    )
    assert [(int(a) >> 16, int(a) & 0xFFFF) for a in frames.address] == [
        (0x5A, 0x10),
        (0x5A, 0x10),
        (0x5A, 0x12),
        (0x5A, 0x18),
    ]
    assert [frames.payload_of(n) for n in range(4)] == [b"", b"ab", b"c", b"\x01\x02"]
    stays = registers([(1, False, b"\x10"), (1, True, b"ab"), (1, True, b"c")], advances=False)
    assert [int(a) & 0xFFFF for a in stays.address] == [0x10, 0x10, 0x10]


def test_going_past_the_last_register_is_flagged():
    frames = registers(
        [(1, False, b"\x18\x01\x02"), (1, False, b"\x18\x01\x02\x03"), (1, True, b"x")], last_register=0x19
    )
    assert [bool(f & F.PAST_END) for f in frames.flags] == [False, True, True]


def test_devices_have_pointers_of_their_own_of_one_or_two_bytes():
    frames = registers(
        [(1, False, b"\x01\x00"), (2, False, b"\x02\x00"), (1, True, b"x"), (2, True, b"y")], pointer_bytes=2
    )
    assert [int(a) & 0xFFFF for a in frames.address] == [0x100, 0x200, 0x100, 0x200]


def test_a_device_whose_pointer_stands_at_its_first_register_is_read_there():
    frames = registers([(1, True, b"x"), (1, False, b"\x00"), (1, True, b"yz"), (1, True, b"w")], last_register=1)
    device = 1 << 16
    # nobody has set it before the first read
    assert frames.address.tolist() == [device | NO_REGISTER, device, device, device | 2]
    assert [bool(f & F.PAST_END) for f in frames.flags] == [False, False, False, True]


def test_the_state_of_the_registers_is_rebuilt_at_any_time():
    frames = registers(
        [(1, False, b"\x04\xaa\xbb"), (1, False, b"\x05"), (1, True, b"\xcc\xdd"), (2, False, b"\x04\xee")]
    )
    early, late = register_state(frames, 1, 500, 16), register_state(frames, 1, 10_000, 16)
    assert early.value[4:7].tolist() == [0xAA, 0xBB, 0] and early.seen_ns[6] == -1 and early.pointer == 6
    assert late.value[4:7].tolist() == [0xAA, 0xCC, 0xDD] and late.seen_ns[5] == 2000
    assert register_state(frames, 9, 10_000, 16).pointer == -1


def test_registers_beyond_the_last_one_are_left_out():
    frames = registers([(1, False, b"\x04\xaa\xbb\xcc\xdd"), (1, False, b"\xfe\x11\x22\x33")])
    state = register_state(frames, 1, 10_000, 6)
    assert state.value.tolist() == [0, 0, 0, 0, 0xAA, 0xBB] and state.pointer == 0xFE + 3
    # as the Python that it is written in, which looks at every index
    value, seen = np.zeros(6, np.uint8), np.full(6, -1, np.int64)
    columns = frames.time_ns, frames.address, frames.flags, frames.start, frames.size, frames.payload
    assert _state.py_func(*columns, 1, value, seen) == state.pointer
    assert value.tolist() == state.value.tolist() and seen.tolist() == state.seen_ns.tolist()
