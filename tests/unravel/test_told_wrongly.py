"""Messages of made-up buses of which something else was told once: what they are by the truth beside them."""

from functools import cache

import pytest

from bench.buses.bus import make_bus
from tests.unravel.made import nothing_known, seen_of
from zesty_abacus.core.unravel.judge import judged


@cache
def bus(seed):
    return {message.key[:2]: message for message in make_bus(seed).messages}


def found_in(seed, lane, address):
    matrix = bus(seed)[lane, address].matrix
    return judged(seen_of(matrix), nothing_known(matrix.shape[1]))


@pytest.mark.parametrize(
    ("seed", "lane", "address", "kind", "places"),
    [
        # two pages by one bit, with another bit behind it that follows it
        (413, "port", 1996, "selector", {"B1[0]"}),
        # two pages by one bit, and a flag of one of them next to it
        (212, "port", 1976, "selector", {"B0[1]"}),
        # the lowest bit of a number that is sent on change
        (414, "port", 1381, "selector", set()),
        # a byte that counts and a check that is the negated sum, so that either folds to the other
        (413, "port", 523, "check", {"B0"}),
        # a check in front that is an exclusive or
        (414, "starboard", 1494, "check", {"B0"}),
        # a CRC as wide as what it covers
        (213, "starboard", 487, "check", {"B1 B0"}),
        # numbers that creep, and were cut where their lower bits go round
        (312, "starboard", 1615, "field", {"B1[2..0] B0", "B2 B1[7..4]"}),
        # whole numbers whose words look like a float with its words turned
        (212, "port", 1559, "field",
         {"B0 B1[7..4]", "B1[3..0] B2", "B3[6..0] B4[7..4]", "B4[3..0] B5[7..4]", "B5[3]", "B5[2]"}),
    ],
)  # fmt: skip
def test_it_is_told_as_its_maker_meant_it(seed, lane, address, kind, places):
    assert {one.places for one in found_in(seed, lane, address) if one.kind == kind} == places
