"""How much later a field follows: the lag of what is left least, told through noise."""

import numpy as np
import pytest

from zesty_abacus.core.unravel.across.references import _least, _told_to

STEP = 50_000_000


def fits(lags, share):
    """Return what is left at so many steps of 50 ms, as a share."""
    return [(lag * STEP, float(np.sqrt(share(lag)))) for lag in lags]


def test_the_least_of_a_parabola_lies_between_the_lags_that_were_tried():
    # 0.01 and what it grows by: least at 3.4 steps of 50 ms, which is 170 ms
    assert _least(fits(range(-8, 9), lambda lag: 0.01 + 0.001 * (lag - 3.4) ** 2)) == pytest.approx(170e6, abs=1)


def test_one_lag_that_noise_favours_is_not_believed():
    shares = dict.fromkeys(range(-8, 9), 0.0)
    for lag in shares:
        shares[lag] = 0.1 + 0.0004 * lag**2
    shares[4] = 0.09
    told = _least(fits(shares, shares.__getitem__))
    assert abs(told) < 1.5 * STEP, "the one tried with the least left is 4 steps away"


def test_too_few_lags_or_no_hollow_say_the_best_one_tried():
    assert _least(fits(range(4), lambda lag: 0.1 + abs(lag - 2))) == 2 * STEP
    # the other way round: the most is left in the middle, so the end that is least stays
    assert _least(fits(range(-3, 4), lambda lag: 0.2 - 0.001 * lag**2 - 0.0001 * lag)) == 3 * STEP


def test_the_least_is_among_those_that_were_tried():
    # falling to the end of what was tried: the parabola's own least lies beyond it
    assert _least(fits(range(8), lambda lag: 0.02 + 0.0001 * (20 - lag) ** 2)) == 7 * STEP


def test_far_worse_lags_do_not_bend_the_parabola():
    def share(lag):
        return 0.01 + 0.001 * (lag - 1.3) ** 2 if abs(lag - 1) < 4 else 0.9

    assert _least(fits(range(-16, 17), share)) == pytest.approx(65e6, abs=1)


def test_numbers_tell_a_part_of_a_step_and_what_a_straight_line_cuts_off():
    """By hand: of a straight line the part of a step alone, 0.3; of n², bent by 2 everywhere, a third more."""
    assert _told_to(np.arange(10.0)) == pytest.approx(0.3)
    assert _told_to(np.arange(10.0) ** 2) == pytest.approx(0.3 + 2 / 6)
