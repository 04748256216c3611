"""What came and went lately, against counting every frame."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.desk.app.lately import STEP_NS, Lately

BEGIN_NS = 1_778_572_815_000_000_000
SECOND_NS = 1_000_000_000


def filled(batches):
    """Return what is counted of batches of (lane, is sent, [(ns since the begin, bits)])."""
    lately = Lately()
    for lane, is_sent, frames in batches:
        times = np.array([BEGIN_NS + time for time, _ in frames], np.int64)
        lately.add(lane, is_sent, times, np.array([bits for _, bits in frames], np.float64))
    return lately


FRAMES = st.lists(st.tuples(st.integers(0, 3 * SECOND_NS), st.sampled_from([0, 47, 135])), min_size=1, max_size=30)
BATCHES = st.lists(st.tuples(st.sampled_from(["a", "b"]), st.booleans(), FRAMES), min_size=1, max_size=8)


@given(BATCHES)
def test_every_frame_is_counted_once_however_they_come(batches):
    lately = filled(batches)
    newest = max((BEGIN_NS + time) // STEP_NS for _, _, frames in batches for time, _ in frames)
    for lane in "a", "b":
        here = [(BEGIN_NS + time, bits, is_sent) for name, is_sent, frames in batches if name == lane
                for time, bits in frames]  # fmt: skip
        of_second = [one for one in here if newest - SECOND_NS // STEP_NS <= one[0] // STEP_NS < newest]
        assert lately.frames_a_second(lane, BEGIN_NS) == len(of_second)
        assert lately.bits_a_second(lane, BEGIN_NS) == sum(bits for _, bits, _ in of_second)
        for way in False, True:
            steps = {time // STEP_NS * STEP_NS for time, _, is_sent in here if is_sent == way}
            assert lately.begins_ns(lane, way).tolist() == sorted(steps)


def test_a_bus_in_flood_is_counted_whole():
    """Twelve thousand frames a second for three seconds, in batches of a tenth."""
    lately = Lately()
    for tenth in range(30):
        times = BEGIN_NS + tenth * SECOND_NS // 10 + np.arange(1200) * (SECOND_NS // 12_000)
        lately.add("a", False, times, np.full(1200, 100.0))
    assert lately.frames_a_second("a", BEGIN_NS) == 12_000
    assert lately.bits_a_second("a", BEGIN_NS) == 1_200_000
    assert len(lately.begins_ns("a", False)) == 600


def test_a_bus_that_falls_silent_has_no_rate_any_more():
    lately = filled([("a", False, [(n * SECOND_NS // 10, 100) for n in range(11)])])
    newest_ns = BEGIN_NS + SECOND_NS
    assert lately.frames_a_second("a", newest_ns) == 10
    assert lately.frames_a_second("a", newest_ns + SECOND_NS // 2) == 10, "a batch is still on its way"
    assert lately.frames_a_second("a", newest_ns + SECOND_NS) == 6
    assert lately.frames_a_second("a", newest_ns + 3 * SECOND_NS) == 0
    assert lately.bits_a_second("a", newest_ns + 3 * SECOND_NS) == 0


def test_what_is_long_ago_is_forgotten_and_what_was_taken_down_stays():
    lately = filled([("a", False, [(0, 100)])])
    held = lately.as_it_is()
    lately.add("a", False, np.array([BEGIN_NS + 11_999_999_999]), np.zeros(1))
    assert len(lately.begins_ns("a", False)) == 2
    lately.add("a", False, np.array([BEGIN_NS + 12 * SECOND_NS]), np.zeros(1))
    assert lately.begins_ns("a", False)[0] > BEGIN_NS
    assert held.begins_ns("a", False).tolist() == [BEGIN_NS]
    lately.forget()
    assert len(lately.begins_ns("a", False)) == 0 and lately.frames_a_second("a", BEGIN_NS) == 0
