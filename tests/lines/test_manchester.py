"""Manchester words, both conventions, and the words of MIL-STD-1553B."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import drawn, from_levels, jittered, manchester_parts
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.kind_key import KindKey
from zesty_abacus.core.lines.manchester import DECODER, ManchesterLine, half_bit
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import MarkKind
from zesty_abacus.core.protocols.registry import protocol_named
from zesty_abacus.core.waves.edges import Edges


def frames_of(result):
    table = result.frames
    return [(int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


def decode(line, **form):
    return decode_line(ManchesterLine(line="x", **form), {"x": line})


def test_a_picture_drawn_by_hand():
    """A data sync, four bits 1 0 1 1 and odd parity 0, a 1 falling in its middle."""
    picture = "____ ...--- -. .- -. -. .- ____"
    result = decode(drawn(picture, 500), half_bit_us=0.5, word_bits=4, syncs=("000111",))
    assert result.marks.of_kind(MarkKind.DATA)[:, 3].tolist() == [0b1011]
    assert not result.marks.flags.any()


words = st.lists(
    st.lists(st.tuples(st.integers(0, 1), st.integers(0, 0xFFFF)), min_size=1, max_size=5), min_size=1, max_size=4
)


@given(
    words,
    st.sampled_from(["fall", "rise"]),
    st.sampled_from(["odd", "even", "none"]),
    st.booleans(),
    st.integers(0, 999),
)
def test_what_was_drawn_is_read_back(groups, one, parity, bipolar, seed):
    parts = manchester_parts(groups, 5000, one=one, parity=parity)
    if not bipolar:
        parts = [(max(level, 0), length) for level, length in parts]
    line = jittered(from_levels(parts), 150, seed)
    result = decode(line, one=one, parity=parity, half_bit_us=5.0)
    assert [p for _, _, p in frames_of(result)] == [
        b"".join(v.to_bytes(2, "big") for _, v in group) for group in groups
    ]
    assert result.marks.of_kind(MarkKind.SYNC)[:, 3].tolist() == [kind for group in groups for kind, _ in group]
    assert not (result.frames.flags & F.WRONG).any()


def test_the_half_bit_is_measured_off_by_five_percent():
    line = from_levels(manchester_parts([[(0, 0xA55A), (1, 0x1234)]] * 6, 5250))
    result = decode(line)
    assert abs(result.facts[0].value - 5.25) < 0.02
    assert [p for _, _, p in frames_of(result)] == [b"\xa5\x5a\x12\x34"] * 6


def test_wrong_parity_and_a_missing_change_are_flagged():
    parts = manchester_parts([[(1, 0x00FF)]], 500)
    parity = len(parts) - 3
    parts[parity], parts[parity + 1] = parts[parity + 1], parts[parity]
    ((_, flags, payload),) = frames_of(decode(from_levels(parts), half_bit_us=0.5))
    assert flags == F.PARITY and payload == b"\x00\xff"
    parts = manchester_parts([[(1, 0x00FF), (1, 0x1111)]], 500)
    parts[1 + 6 + 9] = parts[1 + 6 + 8]
    result = decode(from_levels(parts), half_bit_us=0.5)
    assert result.frames.flags[0] & F.FRAMING


def test_messages_of_mil_std_1553b():
    """Bus controller to terminal, terminal to bus controller, and a status in answer (MIL-STD-1553B, figure 6)."""
    receive = [(0, 5 << 11 | 3 << 5 | 2), (1, 0x1234), (1, 0xFFFF)]
    status = [(0, 5 << 11)]
    transmit = [(0, 5 << 11 | 1 << 10 | 4 << 5 | 1)]
    answer = [(0, 5 << 11), (1, 0xBEEF)]
    line = from_levels(manchester_parts([receive, status, transmit, answer], 500, gap_halves=16))
    assert frames_of(decode(line, standard="1553")) == [
        (5 << 5 | 3, 0, b"\x12\x34\xff\xff"),
        (5 << 5 | 3, F.ANSWER, b"\x28\x00"),
        (5 << 5 | 4, F.READ, b""),
        (5 << 5 | 4, F.ANSWER, b"\x28\x00\xbe\xef"),
    ]


def test_frames_say_with_which_sync_they_begin():
    groups = [[(0, 0x1234)], [(1, 0x5678)], [(1, 1), (0, 2)], [(0, 3), (1, 4)]]
    frames = decode(from_levels(manchester_parts(groups, 500))).frames
    assert frames.address.tolist() == [0, 1024, 1024, 0]
    words = protocol_named("words")
    assert [words.kind_text(KindKey(0, address, 0)) for address in (0, 1024, 2048, 5 << 5 | 3)] == [
        "words", "words after sync 2", "words after sync 3", "terminal 5 · 3",
    ]  # fmt: skip


def test_a_word_cut_by_the_end_is_marked():
    parts = manchester_parts([[(1, 0x5555)]], 500)
    line = from_levels(parts[:25])
    result = decode(line, half_bit_us=0.5)
    assert result.frames.flags[0] & F.CUT_SHORT


HALF = 500


def three_words(bipolar):
    """Return a message of three words, A55A 1234 00FF, between rests of twenty half bits."""
    parts = manchester_parts([[(0, 0xA55A), (1, 0x1234), (1, 0x00FF)]], HALF)
    return from_levels(parts if bipolar else [(max(level, 0), length) for level, length in parts])


@pytest.mark.parametrize("bipolar", [True, False])
@pytest.mark.parametrize("halves", range(-8, 40))
def test_a_message_that_was_under_way_when_the_recording_begins_is_cut_short(halves, bipolar):
    """It begins so many half bits behind the begin of the message."""
    line = three_words(bipolar)
    begin = round(next(time for time, level in zip(line.time_ns, line.level, strict=True) if level > 0))
    part = line.between(begin + halves * HALF + HALF // 3, line.end_ns)
    ((_, flags, payload),) = frames_of(decode(part, half_bit_us=HALF / 1000))
    whole = bytes.fromhex("A55A123400FF")
    if halves < 3:
        assert (flags, payload) == (0, whole), "of the sync its first level is enough, which may be that of rest"
    elif halves in (37, 38):
        assert flags & F.FRAMING, "what is left of a word looks like a sync"
    else:
        # within the last half bit nothing changes any more
        assert (flags, payload) == (F.CUT_SHORT if halves < 39 else 0, whole[2:])


@pytest.mark.parametrize("bipolar", [True, False])
@pytest.mark.parametrize("halves", range(-8, 60))
def test_a_message_that_is_under_way_when_the_recording_ends_is_cut_short(halves, bipolar):
    """It ends so many half bits before the last word does, or behind it."""
    line = three_words(bipolar)
    part = line.between(0, line.end_ns - 20 * HALF - halves * HALF - HALF // 3)
    ((_, flags, payload),) = frames_of(decode(part, half_bit_us=HALF / 1000))
    assert bytes.fromhex("A55A123400FF").startswith(payload) and len(payload) >= 2
    # a word has three half bits before it changes that nobody knows it by, and two thirds of its last are enough
    assert flags == (0 if halves <= 0 or halves in (37, 38, 39, 40) else F.CUT_SHORT)


def test_only_the_first_message_can_have_begun_before_the_recording():
    line = from_levels(manchester_parts([[(0, 0xA55A), (1, 0x1234)], [(0, 0x00FF)]], HALF))
    cut = line.between(int(line.time_ns[8]), line.end_ns)
    assert [flags for _, flags, _ in frames_of(decode(cut, half_bit_us=HALF / 1000))] == [F.CUT_SHORT, 0]


@pytest.mark.parametrize("bipolar", [True, False])
@pytest.mark.parametrize(("behind", "is_cut"), [(2, True), (9.9, True), (12, False), (2000, False)])
def test_only_a_word_that_the_recording_ends_in_can_go_on(behind, is_cut, bipolar):
    """Two half bits after the message the line changes once more; so many behind it the recording ends."""
    line = three_words(bipolar)
    end = line.end_ns - 20 * HALF
    times = np.append(line.time_ns, [end + HALF, end + 3 * HALF // 2])
    levels = np.append(line.level, [1, line.first]).astype(np.int8)
    spiked = Edges(times, levels, line.first, line.begin_ns, end + round(behind * HALF))
    ((_, flags, payload),) = frames_of(decode(spiked, half_bit_us=HALF / 1000))
    assert (flags, payload) == (F.CUT_SHORT if is_cut else 0, bytes.fromhex("A55A123400FF"))


@pytest.mark.parametrize("bipolar", [True, False])
@pytest.mark.parametrize(("before", "is_cut"), [(20, True), (43.9, True), (46, False), (2000, False)])
def test_only_a_word_that_the_recording_begins_in_can_have_gone_before(before, is_cut, bipolar):
    """Two half bits before the message the line changes; so many before it the recording begins. A word is 40 long."""
    parts = manchester_parts([[(0, 0xA55A)]], HALF)
    parts = parts if bipolar else [(max(level, 0), length) for level, length in parts]
    line = from_levels([(0, (before - 3) * HALF), (1, HALF), (0, 2 * HALF), *parts[1:]])
    ((_, flags, payload),) = frames_of(decode(line, half_bit_us=HALF / 1000))
    assert (flags, payload) == (F.CUT_SHORT if is_cut else 0, b"\xa5\x5a")


def test_nonsense_syncs_are_refused():
    for syncs in ((), ("",), ("12",), ("1" * 40,)):
        with pytest.raises(MisuseError, match="sync"):
            decode(drawn("_-.-._" * 10), half_bit_us=1.0, syncs=syncs)


def test_the_form_is_proposed():
    groups = [[(0, 5 << 11 | n << 5 | 1), (1, n * 999)] for n in range(12)]
    line = from_levels(manchester_parts(groups, 500))
    best = max(DECODER.propose({"x": line}), key=lambda proposal: proposal.score)
    assert best.settings.standard == "1553" and "MIL-STD-1553B" in best.reason


@pytest.mark.parametrize("parity", ["odd", "even", "none"])
def test_a_parity_is_told_though_one_word_is_at_fault(parity):
    """The half bit is not that of MIL-STD-1553B, so nothing but the words tells of the parity."""
    groups = [[(0, n * 4931 % 65_536), (1, n * 999)] for n in range(30)]
    parts = manchester_parts(groups, 700, parity=parity)
    # a group is silence after it, and per word 2 parts of the sync and 2 a bit; the last bit of a word is turned
    a_word = 2 + 2 * (16 + (parity != "none"))
    last = 1 + 10 * (2 * a_word + 1) + a_word - 2
    parts[last], parts[last + 1] = parts[last + 1], parts[last]
    found = DECODER.propose({"x": from_levels(parts)})
    best = [one.settings for one in found if one.score == max(other.score for other in found)]
    assert (parity, 16, "fall") in {(one.parity, one.word_bits, one.one) for one in best}
    # 17 bits the other way round have the other parity: nobody can tell these two apart
    assert {(one.parity, one.one) for one in best} <= {(parity, "fall"), ("odd", "rise")}
    assert parity == "none" or found[0].reason.endswith("60 words, 1 with a fault")


def test_a_half_bit_is_measured_where_widths_are():
    """A tenth of eight widths lies between the first and the second one, where none is."""
    half, share = half_bit(Edges.of_toggles(np.cumsum([0, 10, *[100_000] * 7]), 0, 0, 800_000))
    assert (half, share) == (10, 1)
