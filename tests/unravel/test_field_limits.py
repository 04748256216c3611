"""What runs of bits are said to be: each limit at, below and above."""

import numpy as np
import pytest

from tests.unravel.made import put, seen_of, slow
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.unravel.questions.fields import (
    _confidence,
    _Moved,
    _noise,
    _reading,
    _reason,
    _said_noise,
    fields,
)
from zesty_abacus.core.unravel.tiling.costs import NUMBER, SIGNED, STATE
from zesty_abacus.core.unravel.tiling.tile import IMPOSSIBLE, Tile


def run(width, shape=NUMBER, margin=12.0):
    return Tile(tuple(range(width - 1, -1, -1)), shape, 0.0, margin)


def moved(values, changes=10, single=0, low=0, high=100, largest=5):
    return _Moved(low, high, values, changes, single, largest)


@pytest.mark.parametrize(
    ("tile", "how", "pairs", "reading"),
    [
        (run(1), moved(2), 1000, "flag"),
        # a state has names as long as nobody would have to give more than sixteen
        (run(8, STATE), moved(16), 10, "names"), (run(8, STATE), moved(17), 10, "unsigned"),
        # of what rests for four frames of five, up to eight values of a short run, six of a longer one
        (run(4), moved(8, changes=200), 1000, "names"), (run(4), moved(9, changes=200), 1000, "unsigned"),
        (run(4), moved(8, changes=201), 1000, "unsigned"),
        (run(5), moved(6, changes=200), 1000, "names"), (run(5), moved(7, changes=200), 1000, "unsigned"),
        # six values without a gap between them may be a small number
        (run(5), moved(6, low=0, high=6), 1000, "unsigned"), (run(5), moved(6, low=0, high=7), 1000, "names"),
        # what nearly always goes by one is counted, not named; of five values nobody can tell
        (run(4), moved(6, changes=100, single=90), 1000, "unsigned"),
        (run(4), moved(6, changes=100, single=89), 1000, "names"),
        (run(4), moved(5, changes=100, single=100), 1000, "names"),
        (run(8, SIGNED), moved(60), 1000, "signed"), (run(8), moved(60), 1000, "unsigned"),
    ],
)  # fmt: skip
def test_what_a_run_of_bits_is(tile, how, pairs, reading):
    assert _reading(tile, how, pairs) == reading


def test_how_sure_it_is():
    """By hand: half of a half goes with every six bits that any other division takes more."""
    assert _confidence(run(8, margin=0.0), moved(9, changes=1), 100) == 0.35
    assert _confidence(run(8, margin=0.0), moved(9, changes=2), 100) == pytest.approx(0.2 + 0.78 * (1 - 0.5**0.2))
    assert _confidence(run(8, margin=6.0), moved(9), 40) == pytest.approx(0.2 + 0.78 * (1 - 0.5**1.2))
    assert _confidence(run(8, margin=6.0), moved(9), 39) == pytest.approx(0.9 * (0.2 + 0.78 * (1 - 0.5**1.2)))
    assert _confidence(run(8, margin=IMPOSSIBLE), moved(9), 100) == 0.98
    assert _confidence(run(8, margin=-100.0), moved(9), 100) == 0.0


def test_the_reasons_in_words():
    number = moved(60, changes=1, low=-1200, high=34_000, largest=7)
    assert _reason(run(8, margin=1.4), number, "unsigned") == (
        "As one number it runs from −1\u2009200 to 34\u2009000 with steps of at most 7; "
        "any other division of these bits takes 1 bit more to tell."
    )
    assert _reason(run(1, margin=IMPOSSIBLE / 2), number, "flag") == "The bit changes 1 time; nothing beside it moves."
    assert _reason(run(4, margin=0.4), moved(5, changes=3), "names") == (
        "It takes 5 values and changes 3 times; other divisions of these bits are told as shortly."
    )
    assert _reason(run(4, margin=2000.0), moved(5), "names").endswith("takes 2\u2009000 bits more to tell.")


@pytest.mark.parametrize(
    ("places", "reading"),
    [("B1", "bytes"), ("B1 B2", "bytes"), ("B1[7..1]", "unsigned"), ("B1 B2[7]", "unsigned"),
     ("B1[3..0] B2[7..4]", "unsigned"), ("B1[4..2]", "unsigned")],
)  # fmt: skip
def test_noise_in_whole_bytes_is_bytes(places, reading):
    random = np.random.default_rng(4)
    bits = parse_places(places).bits
    found = _said_noise(seen_of(random.integers(0, 256, (400, 4), np.uint8)), bits, ())
    assert (found.bits, found.parameters, found.confidence) == (bits, {"reading": reading}, 0.4)
    assert found.reason.startswith(f"Noise-like: each of its {len(bits)} bits turns in ")
    assert 45 <= int(found.reason.partition(" turns in ")[2].partition("%")[0]) <= 55


@pytest.mark.parametrize(
    ("flips", "runs"),
    [
        # a coin turns in half of all pairs of frames, and what turns in fewer than 35 of a hundred is none
        ([0.5, 0.5, 0.5, 0, 0.5, 0.5, 0, 0], [(2, 1, 0)]), ([0.35, 0.35, 0.35], [(2, 1, 0)]), ([0.34, 0.5, 0.5], []),
    ],
)  # fmt: skip
def test_three_single_bits_in_a_row_that_turn_as_a_coin_does_are_noise(flips, runs):
    tiles = [Tile((bit,), NUMBER, 0.0, 0.0) for bit in range(len(flips))]
    assert _noise(_turning(flips, 101), tiles) == runs
    assert _noise(_turning(flips, 40), tiles) == [], "39 pairs tell nothing"
    assert _noise(_turning([0.5] * 4, 41), tiles[:4] if len(tiles) > 3 else tiles) != []
    # a few bits together are a value that was found, and no noise
    assert _noise(_turning([0.5] * 8, 101), [run(3), *(Tile((bit,), NUMBER, 0.0, 0.0) for bit in (4, 5))]) == []


def test_of_a_number_of_eight_bits_the_highest_rest():
    """One of which all turn as a coin does is no number; in little-endian order its bits are in two runs."""
    for count, runs in ((7, []), (8, [tuple(range(7, -1, -1))])):
        matrix = _turning([0.5] * count, 101)
        assert _noise(matrix, [Tile(tuple(range(count - 1, -1, -1)), NUMBER, 0.0, 0.0)]) == runs
    resting = _turning([0.5] * 7 + [0.3], 101)
    assert _noise(resting, [Tile(tuple(range(7, -1, -1)), NUMBER, 0.0, 0.0)]) == []
    two = seen_of(np.repeat(_turning([0.5] * 8, 101).matrix, 2, axis=1))
    # two bits of the second byte are too few for a run of their own, so all of the number stays one; three are enough
    for low, runs in ((9, []), (10, [tuple(range(7, -1, -1)), (10, 9, 8)])):
        bits = (*range(low, 7, -1), *range(7, -1, -1))
        assert _noise(two, [Tile(bits, NUMBER, 0.0, 0.0)]) == runs


def _turning(flips, frames):
    """Return frames of one byte whose bits turn in a share of the pairs."""
    matrix = np.zeros((frames, 1), np.uint8)
    for bit, share in enumerate(flips):
        turns = np.zeros(frames, np.int64)
        turns[1 : 1 + round(share * (frames - 1))] = 1
        matrix[:, 0] |= (np.cumsum(turns) % 2 << bit).astype(np.uint8)
    return seen_of(matrix)


def signed_magnitude(values, sign_at=7):
    matrix = np.zeros((len(values), 2), np.uint8)
    put(matrix, "B1[6..0]", np.abs(values))
    put(matrix, f"B1[{sign_at}]", values < 0)
    return [
        one for one in fields(seen_of(matrix), np.ones(16, np.bool_)) if one.parameters["reading"] == "sign-magnitude"
    ]


def test_a_bit_that_turns_near_zero_only_is_a_sign():
    waves = np.round(100 * np.sin(np.arange(400) / 40)).astype(np.int64)
    (found,) = signed_magnitude(waves)
    assert found.bits == tuple(range(15, 7, -1)) and "its sign" in found.reason
    # each crossing says more; there are three of them in 400 frames of this one
    assert found.confidence == pytest.approx(min(0.5 + 0.08 * int((np.diff(waves < 0) != 0).sum()), 0.93))
    assert not signed_magnitude(np.round(100 * np.sin(np.arange(160) / 40 + 1)).astype(np.int64)), "two are too few"
    away = np.where(np.arange(400) % 100 < 50, 60, -60) + np.round(slow(400, low=-20, high=20)).astype(np.int64)
    assert not signed_magnitude(away), "it turns far from zero"
