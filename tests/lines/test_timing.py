"""The length of a bit and the mode of a clock, from edges placed by hand."""

import numpy as np
import pytest

from zesty_abacus.core.lines.spi_transfers import find_mode
from zesty_abacus.core.lines.timing import bit_time
from zesty_abacus.core.waves.edges import Edges


def toggles(*times, first=0, end=10_000):
    return Edges.of_toggles(np.array(times, np.int64), first, 0, end)


@pytest.mark.parametrize(
    ("widths", "bit", "share"),
    [
        ([1000, 2000, 3000, 1000], 1000, 1.0),
        # edges in one instant are no pulse, and of three pulses nothing is told
        ([0, 0, 1000, 2000, 3000, 1000], 1000, 1.0),
        ([0, 1000, 2000, 3000], None, 0.0),
        # a nanosecond is one
        ([1, 1, 2, 3], 1, 1.0),
        # half the time explains all of them, a tenth more than the whole: not enough to be preferred
        ([1000] * 9 + [1500], 1000, 0.9),
        ([1000] * 17 + [1500] * 3, 500, 1.0),
    ],
)
def test_a_bit_is_what_pulses_are_multiples_of(widths, bit, share):
    found, explained = bit_time(np.array(widths, np.int64))
    assert explained == pytest.approx(share)
    assert np.isnan(found) if bit is None else found == pytest.approx(bit)


CLOCK = [1000, 1100, 1200, 1300, 1400, 1500]
"""Three pulses."""


@pytest.mark.parametrize("rest", [0, 1])
@pytest.mark.parametrize(("changes", "second"), [([1110, 1310], False), ([1010, 1210, 1410], True)])
def test_data_are_taken_on_the_flank_at_which_they_stand_still(rest, changes, second):
    mode, words = find_mode(toggles(*CLOCK, first=rest), [toggles(*changes)], None, True)
    assert mode == rest * 2 + second
    level, edge = ("low", "high")[rest], ("first", "second")[second]
    assert words == f"rests {level}, taken on the {edge} edge (100% of changes agree)"


def test_of_data_that_disagree_most_count_and_of_none_the_first_edge_is_assumed():
    clock = toggles(*CLOCK)
    mode, words = find_mode(clock, [toggles(1010, 1210), toggles(1110)], None, True)
    assert (mode, words) == (1, "rests low, taken on the second edge (67% of changes agree)")
    assert find_mode(clock, [toggles()], None, True) == (0, "data never change; the first edge is assumed")
    assert find_mode(toggles(*CLOCK, first=1), [], None, True)[0] == 2
