"""What a history says of a changed register map."""

import msgspec
import pytest

from tests.live.maps import byte_map
from zesty_abacus.core.layouts.changes import describe_change
from zesty_abacus.core.layouts.registers import PastEnd

WAS = ", was 27 byte registers of device 90; papers count from 0"


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"device": 91}, "27 byte registers of device 91; papers count from 0"),
        ({"device": None, "count": 0}, "byte registers of any device; papers count from 0"),
        (
            {"past_end": PastEnd.WRAP},
            "27 byte registers of device 90; papers count from 0; past the end it goes on with the first",
        ),
        (
            {"past_end": PastEnd.IGNORE, "advances": False},
            "27 byte registers of device 90; papers count from 0; past the end it ignores it; "
            "an access stays on its register",
        ),
    ],
)
def test_a_map_says_what_it_is_now_and_was(changes, words):
    before = byte_map()
    assert before.registers is not None
    after = msgspec.structs.replace(before, registers=msgspec.structs.replace(before.registers, **changes))
    assert describe_change(before, after) == f"is a map of {words}{WAS}"


def test_a_map_begins_and_ends():
    map_of = byte_map()
    plain = msgspec.structs.replace(map_of, registers=None)
    assert describe_change(plain, map_of) == "is a map of 27 byte registers of device 90; papers count from 0"
    assert describe_change(map_of, plain) == "is no register map any more"
