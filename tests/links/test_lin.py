"""LIN against frames drawn on a wire, and checksums worked out step by step as the standard tells them."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import from_levels
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import MarkKind
from zesty_abacus.core.lines.uart import UartLine
from zesty_abacus.core.links.framing import framing_of
from zesty_abacus.core.links.lin import LinFraming
from zesty_abacus.core.recipes.propose import propose
from zesty_abacus.core.waves.recording import Channel, LineRecording

BIT = 1e9 / 19_200


def protected(identifier):
    """Add the parity bits, bit by bit."""
    bits = [identifier >> n & 1 for n in range(6)]
    return (
        identifier | (bits[0] ^ bits[1] ^ bits[2] ^ bits[4]) << 6 | (1 - (bits[1] ^ bits[3] ^ bits[4] ^ bits[5])) << 7
    )


def checksum(data, head=None):
    total = 0
    for byte in ([] if head is None else [head]) + list(data):
        total += byte
        if total > 0xFF:
            total -= 0xFF
    return 0xFF - total


def wire(frames):
    """Draw a break of 13 bits and the bytes after it."""
    parts = [(1, BIT * 20)]
    for sent in frames:
        parts += [(0, BIT * 13), (1, BIT * 1.5)]
        for byte in sent:
            parts += [(0, BIT), *((byte >> n & 1, BIT) for n in range(8)), (1, BIT * 1.3)]
        parts.append((1, BIT * 12))
    return from_levels(parts)


def framed(line, **settings):
    result = decode_line(UartLine(line="x", rate=19_200), {"x": line})
    return framing_of(LinFraming()).apply(LinFraming(**settings), result)


def read(line, **settings):
    table = framed(line, **settings).frames
    return [(int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


def test_the_examples_of_the_standard():
    """ISO 17987-3, annex: identifier 0x30 is sent as 0xF0; 4A 55 93 E5 has the classic checksum E6."""
    assert protected(0x30) == 0xF0 and checksum(b"\x4a\x55\x93\xe5") == 0xE6
    line = wire([[0x55, 0xF0, 0x4A, 0x55, 0x93, 0xE5, 0xE6]])
    assert read(line, checksum="classic") == [(0x30, 0, b"\x4a\x55\x93\xe5")]


bodies = st.lists(st.tuples(st.integers(0, 0x3F), st.binary(min_size=1, max_size=8)), min_size=1, max_size=5)


@given(bodies, st.sampled_from(["classic", "enhanced"]))
def test_what_was_drawn_is_read_back(listed, sort):
    sent = []
    for identifier, data in listed:
        head = protected(identifier)
        enhanced = sort == "enhanced" and identifier < 0x3C
        sent.append([0x55, head, *data, checksum(data, head if enhanced else None)])
    assert read(wire(sent), checksum=sort) == [(identifier, 0, data) for identifier, data in listed]


def test_what_is_wrong_is_flagged():
    head, data = protected(0x12), b"\x01\x02"
    good = checksum(data, head)
    line = wire([
        [0x55, head, *data, good], [0x55, head], [0x55, head, *data, good ^ 1], [0x54, head, *data, good],
        [0x55, head ^ 0x40, *data, checksum(data, head ^ 0x40)],
    ])  # fmt: skip
    assert read(line, checksum="enhanced") == [
        (0x12, 0, data), (0x12, F.UNANSWERED, b""), (0x12, F.BAD_CHECK, data), (0x12, F.FRAMING, data),
        (0x12, F.PARITY, data),
    ]  # fmt: skip


def test_a_break_and_nothing_after_it_does_no_harm():
    assert read(wire([[], [0x55]])) == [
        (0, F.UNANSWERED | F.PARITY | F.FRAMING, b""),
        (0, F.UNANSWERED | F.PARITY, b""),
    ]
    assert read(from_levels([(1, 1e6)])) == []


def test_marks_say_what_each_byte_is():
    result = framed(wire([[0x55, protected(5), 7, checksum([7], protected(5))]]))
    assert [MarkKind(kind) for kind in result.marks.kind] == [
        MarkKind.BREAK, MarkKind.SYNC, MarkKind.ADDRESS, MarkKind.DATA, MarkKind.CHECK,
    ]  # fmt: skip


@pytest.mark.parametrize("sort", ["classic", "enhanced"])
def test_it_is_proposed_and_the_checksum_measured(tmp_path, sort):
    random = np.random.default_rng(3)
    sent, wanted = [], []
    for number in range(60):
        identifier, data = int(random.choice([0x10, 0x22, 0x31])), random.integers(0, 256, 4).tolist()
        head = protected(identifier)
        wrong = number == 20
        sent.append([0x55, head, *data, checksum(data, head if sort == "enhanced" else None) ^ wrong])
        wanted.append((identifier, F.BAD_CHECK if wrong else 0, bytes(data)))
    line = wire(sent)
    best = propose(tmp_path / "seat.vcd", LineRecording("VCD", (Channel("lin", edges=line),)))[0]
    assert isinstance(best.recipe.framing, LinFraming) and best.recipe.protocol == "lin"
    assert "59 of 60 checksums agree" in " ".join(best.reasons)
    assert read(line) == wanted


def judged(sent):
    result = decode_line(UartLine(line="x", rate=19_200), {"x": wire(sent)})
    return framing_of(LinFraming()).judge(result)


def test_checksums_are_counted_of_what_was_answered():
    """Headings without a response are frames as well; they have no checksum that could agree."""
    head, data = protected(0x21), [9, 8, 7]
    answered, alone = [0x55, head, *data, checksum(data, head)], [0x55, head]
    wrong = [0x55, head, *data, checksum(data, head) ^ 0x10]
    _, score, reason = judged([answered] * 8 + [alone] * 6 + [wrong] * 2)
    assert reason == "16 frames begin with a break and a protected identifier, 8 of 10 checksums agree"
    assert score == pytest.approx(0.5 + 0.5 * 8 / 10)
    assert judged([alone] * 16) is None, "nobody answered"
    # of five breaks four have to be followed by a heading
    assert judged([answered] * 16 + [[0x54, head, *data, 1]] * 4) is not None
    assert judged([answered] * 16 + [[0x54, head, *data, 1]] * 5) is None
