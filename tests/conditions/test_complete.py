import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conditions.test_random import LANES, LAYOUTS
from zesty_abacus.core.conditions.bind import Known
from zesty_abacus.core.conditions.complete import offers
from zesty_abacus.core.trial.content import Moment

KNOWN = Known(LANES, LAYOUTS, [Moment(time_ns=1, text="hook released")])


@pytest.mark.parametrize(
    ("before", "taken", "first"),
    [
        ("spe", "", "speed"), ("size > 3 and dr", "size > 3 and ", "`drive mode`"), ("`drive", "", "`drive mode`"),
        ("Motion.sp", "Motion.", "speed"), ("Motion.`dr", "Motion.", "`drive mode`"),
        ("lane == ", "lane == ", '"deck"'),
        ('lane == "eng', "lane == ", '"engine room"'), ("`drive mode` != ", "`drive mode` != ", '"ahead"'),
        ('`drive mode` == "ast', "`drive mode` == ", '"astern"'), ("message == ", "message == ", '"Motion"'),
        ("speed > 3 k", "speed > 3 ", "km"), ("gap > 20m", "gap > 20", "min"), ("has_t", "", "has_text("),
        ("changes(sp", "changes(", "speed"), ("after(", "after(", '"hook released"'),
        ('flag("bad', "flag(", '"bad check"'),
        ("size == 3 ", "size == 3 ", "and "), ("way == ", "way == ", '"read"'),
        ("`drive mode` == 1 and he", "`drive mode` == 1 and ", "heat"),
    ],
)  # fmt: skip
def test_what_may_come_next(before, taken, first):
    offer = offers(before, KNOWN)
    assert before[: offer.start] == taken and first in offer.words[:2], offer


def test_what_the_capture_holds_goes_first():
    assert offers("", KNOWN, ["heat"]).words[0] == "heat"
    assert offers("", KNOWN, ["drive mode"]).words[0] == "`drive mode`"


@given(st.text(st.sampled_from('ab`" .=!<>(39,and speed lane mode'), max_size=40))
def test_whatever_stands_there_is_answered(before):
    offer = offers(before, KNOWN, ["speed"])
    assert 0 <= offer.start <= len(before) and len(offer.words) <= 12
