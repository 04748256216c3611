"""Fitted scales as people choose them: few digits, or one over a power of two, within what a fit can tell."""

from __future__ import annotations

from fractions import Fraction

import pytest

from zesty_abacus.core.unravel.meant import neat, neat_near


@pytest.mark.parametrize(
    ("fitted", "chosen"),
    [
        (0.1000001, "0.1"), (0.0999, "0.1"), (-0.1000001, "-0.1"), (1.0, "1"), (0.018, "0.018"), (0.0501, "0.05"),
        # one over a power of two, either sign, before a second digit
        (0.25003, "1/4"), (0.031249, "1/32"), (0.125, "1/8"), (-0.125, "-1/8"), (0.5002, "0.5"),
        # 7/16 is no such step; within two thousandths of it is 0.438, and 0.44 is not
        (0.4375, "0.438"), (3.14159265, "3.14"), (12.34567, "12.35"), (0.10019, "0.1"), (0.1003, "0.1003"),
    ],
)  # fmt: skip
def test_a_fitted_step_is_the_simplest_that_is_near(fitted, chosen):
    assert neat(fitted) == Fraction(chosen)


@pytest.mark.parametrize(
    ("fitted", "most", "chosen"),
    [
        (0.4, 0.5, "0"), (-0.5, 0.5, "0"), (0.6, 0.5, "0.6"), (-40.2, 0.5, "-40"), (-273.14, 0.05, "-273.1"),
        (12.3456, 0.2, "12.3"), (327.68, 0.005, "327.68"),
    ],
)  # fmt: skip
def test_an_offset_is_nothing_where_that_is_near_enough(fitted, most, chosen):
    assert neat_near(fitted, most) == Fraction(chosen)
