"""Whatever a message holds: what is said of it can be shown, and what is kept of it is a layout that reads it."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.unravel.test_varying import capture_of
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.finding import bits_of
from zesty_abacus.core.unravel.keeping import all_kept
from zesty_abacus.core.unravel.look import unravel
from zesty_abacus.core.unravel.told import title
from zesty_abacus.core.unravel.witness import witness


@st.composite
def messages(draw):
    """Return payloads of one size or of many, of few values or many, some with a type, a length, a number or a sum."""
    random = np.random.default_rng(draw(st.integers(0, 2**32)))
    count, longest = draw(st.integers(4, 150)), draw(st.integers(1, 14))
    sizes = random.integers(0, longest, count) if draw(st.booleans()) else np.full(count, longest)
    values, begins, ends = draw(st.sampled_from([2, 4, 16, 256])), draw(st.integers(0, 3)), draw(st.booleans())
    payloads = []
    for number, size in enumerate(sizes.tolist()):
        payload = random.integers(0, values, size).astype(np.uint8)
        if size:
            payload[0] = (number % 4, size, number % 256, payload[0])[begins]
        if size > 3 and ends:
            payload[-1] = int(payload[:-1].sum()) & 255
        payloads.append(bytes(payload))
    return payloads


@settings(max_examples=40, deadline=None)
@given(messages())
def test_all_that_is_said_can_be_shown_and_kept(payloads):
    capture = capture_of(payloads)
    meaning = Meaning.of(capture, [])
    longest = max(map(len, payloads))
    for of_kind in unravel(meaning, None).kinds:
        for one in of_kind.findings:
            assert title(one) and one.frames >= 0 <= one.against and 0 <= one.confidence <= 1
            assert all(bit < longest * 8 for bit in bits_of(one, longest))
            seen = witness(meaning, of_kind.kind, one)
            assert all(sight is None or 0 <= sight.row < len(payloads) for sight in (seen.speaks, seen.against))
        layout, _ = all_kept(new_layout("Any", Applies(address=0x100), 0), of_kind.findings, 0.5)
        assert check_layout(layout) == []
        # what is explained now is asked for once more, without what is known
        unravel(Meaning.of(capture, [layout]), None)
