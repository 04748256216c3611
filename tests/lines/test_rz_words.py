"""Words that return to the middle, against words drawn pulse by pulse."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import from_levels, jittered
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.kind_key import KindKey
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import MarkKind
from zesty_abacus.core.lines.rz_words import DECODER, RzLine
from zesty_abacus.core.protocols.registry import protocol_named

BIT = 10_000


def word_bits(value, size=32, parity="odd"):
    """Return the bits of a word, first bit highest, the last one its parity."""
    bits = [value >> (size - 2 - n) & 1 for n in range(size - 1)]
    if parity == "none":
        return [*bits, value & 1]
    return [*bits, (sum(bits) + (parity == "odd")) % 2]


def parts_of(words, bit=BIT, gap=4):
    parts = [(0, bit * 6)]
    for bits in words:
        for one in bits:
            parts += [(1 if one else -1, bit / 2), (0, bit / 2)]
        parts.append((0, bit * gap))
    return parts


def read(line, **form):
    table = decode_line(RzLine(line="x", **form), {"x": line}).frames
    return [(int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


def packed(bits):
    return int("".join(map(str, bits)).ljust(-(-len(bits) // 8) * 8, "0"), 2).to_bytes(-(-len(bits) // 8), "big")


@given(
    st.lists(st.integers(0, 2**31 - 1), min_size=2, max_size=8), st.sampled_from(["odd", "even"]),
    st.sampled_from([16, 32, 25]), st.integers(0, 9),
)  # fmt: skip
def test_what_was_drawn_is_read_back(values, parity, size, seed):
    words = [word_bits(value & (2 ** (size - 1) - 1), size, parity) for value in values]
    line = jittered(from_levels(parts_of(words)), BIT * 0.04, seed)
    wanted = [(packed(bits[:8])[0], 0, packed(bits)) for bits in words]
    assert read(line, parity=parity, word_bits=size) == wanted


def test_what_is_wrong_is_flagged():
    good = word_bits(0x1234567)
    turned = [*good[:-1], 1 - good[-1]]
    found = read(from_levels(parts_of([good, turned, good[:20], good])))
    assert [flags for _, flags, _ in found] == [0, F.PARITY, F.FRAMING, 0]
    assert found[2][2] == packed(good[:20]) and read(from_levels([(0, 1e6)])) == []


def test_marks_are_bytes_and_the_first_is_the_label():
    result = decode_line(RzLine(line="x"), {"x": from_levels(parts_of([word_bits(0x7FFFFFFF), word_bits(5)]))})
    assert [MarkKind(kind) for kind in result.marks.kind] == [MarkKind.ADDRESS, *[MarkKind.DATA] * 3] * 2
    assert (
        result.marks.value.tolist()[:4] == [0xFF, 0xFF, 0xFF, 0xFE] and result.marks.frame.tolist() == [0] * 4 + [1] * 4
    )
    assert (result.marks.end_ns > result.marks.start_ns).all()
    assert (result.marks.start_ns[1:4] == result.marks.end_ns[:3]).all()


def test_labels_are_written_both_ways():
    assert protocol_named("bit words").kind_text(KindKey(0, 0o203, 0)) == "label 0x83 (octal 203)"


WORDS = [word_bits(n * 7_654_321 % 2**31) for n in range(1, 40)]


@pytest.mark.parametrize("apart", [False, True])
def test_the_form_is_proposed_on_one_line_and_on_two_wires(apart):
    wrong = [*WORDS[:20], [*WORDS[20][:-1], 1 - WORDS[20][-1]], *WORDS[21:]]
    parts = parts_of(wrong)
    if apart:
        channels = {
            "a": from_levels([(int(level == 1), length) for level, length in parts]),
            "b": from_levels([(int(level == -1), length) for level, length in parts]),
        }
    else:
        channels = {"a": from_levels(parts)}
    best = DECODER.propose(channels)[0]
    assert (best.settings.word_bits, best.settings.parity, best.settings.label_bits) == (32, "odd", 8)
    assert (best.settings.line, best.settings.minus) == ("a", "b" if apart else "") and best.score > 0.9
    assert "39 words, 100% of 32 pulses that return to the middle" in best.reason


def test_other_lines_are_no_such_words():
    from tests.lines.drawing import drawn, i2c_wires, manchester_parts

    words = from_levels(manchester_parts([[(0, n * 4931 % 65_536)] for n in range(30)], 700))
    assert DECODER.propose({"x": words}) == []
    assert DECODER.propose({"x": drawn("_-" * 200), "y": drawn("-_" * 200)}) == []
    assert DECODER.propose(i2c_wires([[(0xB4, 1), (n, 1)] for n in range(12)]).edges()) == []
