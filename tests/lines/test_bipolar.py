"""The two wires of one line: told by their changes, and joined to a line of three levels."""

import numpy as np

from tests.lines.drawing import drawn, from_levels, i2c_wires, jittered, manchester_parts, uart_parts
from zesty_abacus.core.lines.bipolar import are_complementary, bipolar_of, complementary_pairs
from zesty_abacus.core.lines.i2c import DECODER as I2C
from zesty_abacus.core.lines.manchester import DECODER as MANCHESTER
from zesty_abacus.core.lines.manchester import ManchesterLine
from zesty_abacus.core.lines.result import DATA
from zesty_abacus.core.waves.edges import Edges

GROUPS = [[(0, 5 << 11 | n << 5 | 1), (1, n * 999)] for n in range(12)]
PARTS = manchester_parts(GROUPS, 500)
LINE = from_levels(PARTS)


def wires() -> tuple[Edges, Edges]:
    """Return one wire for pulses up and one for pulses down."""
    plus = from_levels([(1 if level == 1 else 0, length) for level, length in PARTS])
    return plus, from_levels([(1 if level == -1 else 0, length) for level, length in PARTS])


def test_pulses_up_and_down_are_a_line_of_three_levels():
    joined = bipolar_of(*wires())
    assert joined.time_ns.tolist() == LINE.time_ns.tolist() and joined.level.tolist() == LINE.level.tolist()
    assert (joined.first, joined.end_ns) == (LINE.first, LINE.end_ns)


def test_a_wire_and_its_opposite_are_a_line_of_two_signs():
    one = drawn("_-__--_-___-")
    joined = bipolar_of(one, one.inverted())
    assert joined.first == -1 and joined.time_ns.tolist() == one.time_ns.tolist()
    assert joined.level.tolist() == [2 * int(level) - 1 for level in one.level]


def test_what_is_not_known_of_either_wire_is_not_known():
    one = drawn("_-_-_-")
    unsure = Edges(one.time_ns, one.level, one.first, one.begin_ns, one.end_ns, np.array([[10, 20]], np.int64))
    assert bipolar_of(one, unsure).unknown.tolist() == [[10, 20]]


def test_opposite_wires_are_told_though_their_changes_are_a_little_apart():
    line = from_levels(uart_parts(list(range(60)), 8680))
    shifted = jittered(line.inverted(), 300)
    assert are_complementary(line, shifted) and are_complementary(shifted, line)
    assert complementary_pairs({"a": line, "clk": drawn("_-" * 500), "b": shifted}) == [("a", "b")]


def test_a_clock_and_its_data_and_a_line_and_its_copy_are_no_pair():
    lines = i2c_wires([[(0xB4, 1), (n, 1)] for n in range(8)]).edges()
    assert complementary_pairs(lines) == []
    line = from_levels(uart_parts(list(range(60)), 8680))
    assert not are_complementary(line, line)
    assert not are_complementary(line.first_part(15), line.first_part(15).inverted()), "too few changes to say"


def test_opposite_lines_are_no_clock_and_data():
    line = from_levels(manchester_parts(GROUPS, 500))
    line = Edges(line.time_ns, (line.level > 0).astype(np.int8), 0, line.begin_ns, line.end_ns)
    assert I2C.propose({"p": line, "n": line.inverted()}) == []


def test_words_on_two_wires_are_proposed_as_one_line_and_read():
    plus, minus = wires()
    # the middle of both is one level on neither wire; only together do they say silence
    flat = Edges(plus.time_ns, plus.level, 0, plus.begin_ns, plus.end_ns)
    best = max(MANCHESTER.propose({"p": flat, "n": plus.inverted()}), key=lambda proposal: proposal.score)
    assert (best.settings.line, best.settings.minus) == ("p", "n")
    assert best.reason.startswith("p and n, the two wires of one line, have pulses")
    settings = ManchesterLine(line="p", minus="n", standard="1553")
    apart = MANCHESTER.decode(settings, {"line": plus, "minus": minus})
    whole = MANCHESTER.decode(ManchesterLine(line="x", standard="1553"), {"line": LINE})
    assert apart.frames.payload.tolist() == whole.frames.payload.tolist() and (apart.marks.kind == DATA).any()
    assert apart.frames.address.tolist() == whole.frames.address.tolist()
