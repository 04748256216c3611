"""Which fields a check may be taken over, by their places and by what its stretch says."""

import pytest

from zesty_abacus.core.expressions.expression import Expression
from zesty_abacus.core.layouts.checks.coverage import AddressKey, Coverage
from zesty_abacus.core.layouts.model import new_field
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at


def stretch(first, end):
    return Coverage(first=Expression(first), end=Expression(end))


@pytest.mark.parametrize(
    ("coverage", "places", "may"),
    [
        (stretch("2", "4"), "B1", False),
        (stretch("2", "4"), "B2", True),
        (stretch("2", "4"), "B3[0]", True),
        (stretch("2", "4"), "B4", False),
        (stretch("2", "4"), "B4 B1", False),
        (stretch("2", "4"), "B3 B7", True),
        (stretch("0", "1"), "B0[7]", True),
        (stretch("0", "1"), "B1", False),
        (stretch("1 + 1", "4"), "B1", False),
        # where the frame says an end, whatever lies behind the other may be meant
        (stretch("2", "size - 1"), "B1", False),
        (stretch("2", "size - 1"), "B60", True),
        (stretch("length", "4"), "B0", True),
        (stretch("length", "4"), "B4", False),
        (stretch("length", "length + 2"), "B60", True),
        # bits in an order of their own
        (Coverage(places=at("B5 B2")), "B5[3]", True),
        (Coverage(places=at("B5 B2")), "B3", False),
    ],
)
def test_a_check_is_taken_over_what_lies_in_its_stretch(coverage, places, may):
    assert coverage.may_cover(new_field("level", at(places))) == may


@pytest.mark.parametrize(
    ("coverage", "may"),
    [(stretch("0", "4"), True), (stretch("1", "4"), False), (stretch("1", "size"), False), (stretch("0", "0"), False)],
)
def test_what_lies_nowhere_by_itself_counts_as_the_first_byte(coverage, may):
    assert coverage.may_cover(new_field("level", Places(()))) == may


@pytest.mark.parametrize(("coverage", "outside"), [(stretch("level", "4"), "B4"), (stretch("3", "level + 4"), "B2")])
def test_what_says_the_stretch_is_covered_wherever_it_lies(coverage, outside):
    assert coverage.may_cover(new_field("level", at(outside)))
    assert not coverage.may_cover(new_field("other", at(outside)))


@pytest.mark.parametrize(
    ("coverage", "said"),
    [
        (Coverage(address_bytes=0), []),
        (Coverage(address_bytes=8), []),
        (Coverage(address_bytes=-1), ["An address goes in with 0 to 8 bytes, not -1."]),
        (Coverage(address_bytes=9), ["An address goes in with 0 to 8 bytes, not 9."]),
        (Coverage(key_before="0", key_after="00FF"), ["'0' is not hex digits."]),
        (Coverage(keys=(AddressKey(1, "AB"), AddressKey(2, "xy"))), ["'xy' is not hex digits."]),
    ],
)
def test_what_no_sender_can_mean_is_said(coverage, said):
    assert [sentence for _, sentence in coverage.problems("check", {})] == said
