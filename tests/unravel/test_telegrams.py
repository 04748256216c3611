"""Lines of text: columns, what they are, and a check in hex digits; and no line where there is none."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.unravel.test_texts_and_lengths import frames_of
from zesty_abacus.core.codec.columns import CheckState
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.unravel.keeping import all_kept
from zesty_abacus.core.unravel.questions.telegrams import telegrams


def sentence(body):
    check = 0
    for character in body:
        check ^= ord(character)
    return f"${body}*{check:02X}\r\n".encode()


def columns_of(found):
    return [one.parameters for one in found if one.kind == "text"]


def test_columns_of_a_sentence_are_told_and_its_check():
    lines = [sentence(f"TGHDG,{340 + row / 7:.2f},T,{row % 3}") for row in range(60)]
    found = telegrams(frames_of(lines))
    assert [one["reading"] for one in columns_of(found)] == ["text", "unsigned", "text", "unsigned"]
    assert {one["separator"] for one in columns_of(found)} == {","}
    (check,) = (one for one in found if one.kind == "check")
    assert (check.parameters["check"], check.parameters["text_base"]) == ("xor", 16)
    assert check.parameters["coverage"] == {"first": "1", "end": "size - 5"}
    assert (check.frames, check.against) == (60, 0)
    for line in lines:
        end = len(line) - 5
        assert int(np.bitwise_xor.reduce(np.frombuffer(line[1:end], np.uint8))) == int(line[-4:-2], 16)


@pytest.mark.parametrize(("different", "is_told"), [(2, False), (3, True)])
def test_a_check_is_told_from_three_different_ones_on(different, is_told):
    lines = [sentence(f"TGAAA,{row % different},T") for row in range(60)]
    assert any(one.kind == "check" for one in telegrams(frames_of(lines))) is is_told


def test_a_broken_line_speaks_against_it():
    lines = [sentence(f"TGROT,{row / 3 - 9:+.3f},A,{row}") for row in range(50)]
    lines[7] = lines[7].replace(b"A", b"V")
    (check,) = (one for one in telegrams(frames_of(lines)) if one.kind == "check")
    assert (check.frames, check.against) == (49, 1)


def test_states_signs_and_other_separators():
    words = ("haul", "veer", "hold")
    lines = [f"{row / 2 - 8:+.1f};{words[row % 3]};{row}".encode() for row in range(80)]
    found = columns_of(telegrams(frames_of(lines)))
    assert [one["reading"] for one in found] == ["signed", "names", "unsigned"]
    assert [one["column"] for one in found] == [0, 1, 2] and found[0]["separator"] == ";"


@given(st.integers(0, 10_000))
def test_bytes_are_no_lines(seed):
    matrix = np.random.default_rng(seed).integers(0, 256, (40, 12), dtype=np.uint8)
    assert telegrams(frames_of([bytes(row) for row in matrix])) == []


def test_a_layout_of_it_reads_the_lines_and_its_check_agrees():
    lines = [sentence(f"TGROT,{row / 3 - 9:+.3f},A,{row}") for row in range(50)]
    frames = frames_of(lines)
    findings = [one.of("compass", 5, "", "") for one in telegrams(frames)]
    layout, count = all_kept(new_layout("Turn", Applies(address=5), 24), findings, 0.7)
    assert count == 5 and not check_layout(layout)
    decoded = decode(compile_layout(layout), frames.matrix, frames.sizes, address=5)
    (check,) = decoded.checks.values()
    assert check.count(CheckState.AGREES) == 50
    turn = decoded.named("column 2")
    assert turn.value[3] == -8 and turn.value[30] == 1


def test_a_layout_of_it_writes_the_lines_as_they_came():
    """Also those whose check begins with a zero: lines have as many digits as they had."""
    lines = [sentence(f"TGHDG,{row},T") for row in range(10, 70)]
    findings = [one.of("compass", 5, "", "") for one in telegrams(frames_of(lines))]
    layout, _ = all_kept(new_layout("Heading", Applies(address=5), 24), findings, 0.7)
    assert any(b"*0" in line for line in lines)
    for row, line in enumerate(lines):
        values = {"column 1": "$TGHDG", "column 2": 10 + row, "column 3": "T"}
        assert encode_message(layout, values).payload == line
