"""Dividing a payload: the shortest way to tell it, held against trying every way; and what that makes of values."""

from functools import cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.unravel.made import put, seen_of, slow
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.unravel.questions.fields import fields
from zesty_abacus.core.unravel.tiling.costs import NUMBER, SIGNED, state_cost
from zesty_abacus.core.unravel.tiling.tile import cost_of, costs_of, costs_without, tiles_of


def all_free(seen):
    return np.ones(seen.size * 8, np.bool_)


def shortest(seen):
    """Return the least cost of any division, by trying all: at every bit, no run, or each run that begins there."""
    costs, moves = costs_of(seen, all_free(seen)), seen.moves
    bits = seen.size * 8
    runs = {}
    for first in range(bits):
        for width in range(1, min(bits, 32) + 1):
            if np.isfinite(costs.low[first, width]):
                own = frozenset(range(first, first + width))
                runs[own] = min(runs.get(own, np.inf), costs.low[first, width])
            if np.isfinite(costs.high[first, width]):
                own = frozenset(number ^ 7 for number in range(first, first + width))
                runs[own] = min(runs.get(own, np.inf), costs.high[first, width])
    by_bit = {bit: [(own, cost) for own, cost in runs.items() if bit in own] for bit in range(bits)}

    @cache
    def least(left):
        bit = next((one for one in sorted(left) if moves[one]), None)
        if bit is None:
            return 0.0
        return min((cost + least(left - own) for own, cost in by_bit[bit] if own <= left), default=np.inf)

    return least(frozenset(range(bits)))


@settings(max_examples=30)
@given(st.integers(0, 10_000), st.integers(1, 2))
def test_no_other_division_is_shorter(seed, size):
    random = np.random.default_rng(seed)
    matrix = np.zeros((40, size), np.uint8)
    for byte in range(size):
        wander = np.cumsum(random.integers(-2, 3, 40)) + random.integers(0, 200)
        matrix[:, byte] = wander & random.integers(1, 256)
    seen = seen_of(matrix)
    assert cost_of(seen, all_free(seen)) == pytest.approx(shortest(seen))


@settings(max_examples=30)
@given(st.integers(0, 10_000), st.integers(1, 8))
def test_runs_hold_every_bit_that_moves_and_none_twice(seed, size):
    random = np.random.default_rng(seed)
    matrix = random.integers(0, 256, (60, size), dtype=np.uint8) & random.integers(0, 256, size, dtype=np.uint8)
    seen = seen_of(matrix)
    free = random.random(size * 8) < 0.8
    tiles = tiles_of(seen, free)
    taken = [bit for tile in tiles for bit in tile.bits]
    assert len(taken) == len(set(taken)) and all(free[bit] for bit in taken)
    assert {bit for bit in range(size * 8) if seen.moves[bit] and free[bit]} <= set(taken)
    assert all(tile.margin >= -1e-6 for tile in tiles), "without a run of the best division none is shorter"


@pytest.mark.parametrize(
    "places",
    ["B0 B1", "B1 B0", "B0", "B0[3..0] B1", "B1[3..0] B0", "B2[6..1]", "B0[1..0] B1 B2[7..4]", "B3[0] B2 B1[7..5]"],
)
def test_a_number_is_found_in_its_bits_and_order(places):
    width = len(parse_places(places).bits)
    top = (1 << width) - 1
    values = slow(3000, seed=width, low=top // 16, high=top, noise=top / 4000)
    seen = seen_of(put(np.zeros((3000, 4), np.uint8), places, values))
    (tile,) = tiles_of(seen, all_free(seen))
    assert tile.bits == parse_places(places).bits and tile.shape == NUMBER


def test_one_that_crosses_zero_is_signed():
    values = slow(3000, low=-900, high=900)
    seen = seen_of(put(np.zeros((3000, 2), np.uint8), "B0[3..0] B1", values))
    (tile,) = tiles_of(seen, all_free(seen))
    assert tile.bits == parse_places("B0[3..0] B1").bits and tile.shape == SIGNED


def test_two_numbers_side_by_side_are_two():
    matrix = put(np.zeros((3000, 3), np.uint8), "B0 B1[7..4]", slow(3000, 2, 200, 4000))
    seen = seen_of(put(matrix, "B1[3..0] B2", slow(3000, 3, 200, 4000)))
    assert [tile.bits for tile in tiles_of(seen, all_free(seen))] == [
        parse_places("B0 B1[7..4]").bits, parse_places("B1[3..0] B2").bits,
    ]  # fmt: skip


def test_a_state_beside_a_number_is_told_apart():
    random = np.random.default_rng(7)
    held = np.repeat(random.integers(0, 6, 100), 30)
    matrix = put(np.zeros((3000, 2), np.uint8), "B0[7..5]", held)
    seen = seen_of(put(matrix, "B0[4..0] B1", slow(3000, 3, 200, 8000)))
    found = {one.bits: one.parameters["reading"] for one in fields(seen, all_free(seen))}
    assert found == {parse_places("B0[7..5]").bits: "names", parse_places("B0[4..0] B1").bits: "unsigned"}


def test_a_switch_is_a_flag_and_says_how_often_it_changed():
    matrix = put(np.zeros((900, 1), np.uint8), "B0[3]", np.repeat(np.arange(9) % 2, 100))
    (flag,) = fields(seen_of(matrix), np.ones(8, np.bool_))
    assert (flag.places, flag.parameters) == ("B0[3]", {"reading": "flag"}) and "changes 8 times" in flag.reason


def test_what_hardly_moved_has_a_small_margin():
    busy = seen_of(put(np.zeros((3000, 2), np.uint8), "B0 B1", slow(3000)))
    quiet = seen_of(put(np.zeros((3000, 2), np.uint8), "B0 B1", np.repeat([513, 514, 770], 1000)))
    assert min(tile.margin for tile in tiles_of(busy, all_free(busy))) > 60
    assert min(tile.margin for tile in tiles_of(quiet, all_free(quiet))) < 20


def test_what_turns_in_an_order_is_told_shorter_than_what_does_not():
    random = np.random.default_rng(3)
    follows = np.r_[False, np.ones(399, np.bool_)]
    turns, jumps = np.arange(400) % 4, random.integers(0, 4, 400)
    assert state_cost(turns, follows) < 60 < 500 < state_cost(jumps, follows)
    assert np.isinf(state_cost(np.arange(400), follows)), "hundreds of values are no state"


@given(st.integers(0, 2**32 - 1), st.sets(st.integers(0, 31), max_size=9), st.sets(st.integers(0, 31), max_size=9))
@settings(max_examples=30)
def test_what_is_told_without_some_bits_costs_what_it_costs_alone(seed, taken, left_out):
    random = np.random.default_rng(seed)
    matrix = np.zeros((60, 4), np.uint8)
    put(matrix, "B1 B0", slow(60, seed=seed % 97, noise=1))
    matrix[:, 2] = random.integers(0, 3, 60)
    matrix[:, 3] = np.arange(60)
    seen = seen_of(matrix)
    free = all_free(seen)
    free[list(taken)] = False
    rest = free.copy()
    rest[list(left_out)] = False
    assert costs_without(seen, free, [(), tuple(left_out)]) == pytest.approx([cost_of(seen, free), cost_of(seen, rest)])
