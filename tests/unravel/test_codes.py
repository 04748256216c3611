"""Numbers that are not plain binary, and counters that count by sender."""

from __future__ import annotations

import numpy as np
import pytest

from tests.unravel.made import findings_of, meaning_of, message, nothing_known, put, seen_of, slow
from zesty_abacus.core.codec.columns import CheckState
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.checks.counter import Counter
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.unravel.judge import judged
from zesty_abacus.core.unravel.keeping import all_kept, kept
from zesty_abacus.core.unravel.look import Asked, unravel
from zesty_abacus.core.unravel.numbers import numbers_of
from zesty_abacus.core.unravel.witness import witness

FRAMES = 1500


def judge(matrix):
    seen = seen_of(matrix)
    return judged(seen, nothing_known(seen.size))


def said_at(found, places):
    return [(one.kind, one.parameters) for one in found if one.places == places]


def decimal_bits(numbers):
    """Digits of four bits, written out one by one."""
    return np.array([int(str(number), 16) for number in numbers.tolist()], np.int64)


@pytest.mark.parametrize("places", ["B2 B3", "B3 B2"])
@pytest.mark.parametrize("most", [999, 9999])
def test_decimal_digits(places, most):
    matrix = np.zeros((FRAMES, 6), np.uint8)
    put(matrix, places, decimal_bits(slow(FRAMES, 4, 0, most)))
    put(matrix, "B5", slow(FRAMES, 5, 0, 255))
    found = judge(matrix)
    (told,) = [one for one in found if one.places == places]
    assert told.parameters == {"reading": "bcd"} and "No digit is above nine" in told.reason
    assert said_at(found, "B5") == [("field", {"reading": "unsigned"})]


def test_a_clock_in_decimal_digits():
    """Seconds that count from 00 to 59 in digits are no counter of sixteen values."""
    matrix = np.zeros((FRAMES, 3), np.uint8)
    put(matrix, "B1", decimal_bits(np.arange(FRAMES) % 60))
    assert said_at(judge(matrix), "B1") == [("field", {"reading": "bcd"})]


def test_what_never_shows_a_digit_above_nine_by_chance_is_no_decimal_number():
    """Two states side by side, each of ten values: nothing goes back where the other goes on."""
    random = np.random.default_rng(2)
    matrix = np.zeros((FRAMES, 2), np.uint8)
    high, low = (np.repeat(random.integers(0, 10, FRAMES // 5), 5) for _ in range(2))
    matrix[:, 1] = high << 4 | low
    assert not [one for one in judge(matrix) if one.parameters.get("reading") == "bcd"]


def test_plain_numbers_stay_plain():
    for seed in range(12):
        matrix = np.zeros((FRAMES, 4), np.uint8)
        put(matrix, "B1 B2", slow(FRAMES, seed, 300, 40_000))
        readings = {one.parameters.get("reading") for one in judge(matrix)}
        assert not readings & {"bcd", "gray", "sign-magnitude"}, seed


@pytest.mark.parametrize("places", ["B1[4..0]", "B1", "B1[1..0] B2"])
def test_gray_code(places):
    width = {"B1[4..0]": 5, "B1": 8, "B1[1..0] B2": 10}[places]
    random = np.random.default_rng(7)
    steps = random.choice([0, 1, 1, 1, -1], FRAMES * 4)
    number = np.clip(np.cumsum(steps), 0, None)[: FRAMES * 4] % (1 << width)
    matrix = np.zeros((FRAMES * 4, 4), np.uint8)
    put(matrix, places, number ^ number >> 1)
    (told,) = [one for one in judge(matrix) if one.places == places]
    assert told.parameters == {"reading": "gray"} and "one bit turns and the number goes by one" in told.reason


def test_flags_that_turn_one_by_one_are_no_gray_code():
    random = np.random.default_rng(3)
    matrix = np.zeros((FRAMES, 2), np.uint8)
    turned = np.where(random.random(FRAMES) < 0.1, 1 << random.integers(0, 4, FRAMES), 0)
    matrix[:, 1] = np.bitwise_xor.accumulate(turned)
    assert not [one for one in judge(matrix) if one.parameters.get("reading") == "gray"]


def test_a_sign_above_a_magnitude():
    number = slow(FRAMES, 11, 0, 4000) - 2000
    matrix = np.zeros((FRAMES, 4), np.uint8)
    put(matrix, "B1 B2", np.abs(number) | np.where(number < 0, 1 << 15, 0))
    found = judge(matrix)
    (told,) = [one for one in found if one.parameters.get("reading") == "sign-magnitude"]
    assert told.places == "B1 B2" and "its sign" in told.reason


@pytest.mark.parametrize("senders", [2, 5])
def test_a_counter_of_every_sender(senders):
    random = np.random.default_rng(5)
    who = random.integers(0, senders, FRAMES)
    matrix = np.zeros((FRAMES, 4), np.uint8)
    matrix[:, 0] = 0x20 + who
    counts = np.zeros(senders, np.int64)
    for row, one in enumerate(who):
        counts[one] += 1
        matrix[row, 2] = (counts[one] + 40 * one) & 0xFF
    (told,) = [one for one in judge(matrix) if one.kind == "counter"]
    assert told.places == "B2" and told.parameters["step"] == 1 and told.parameters["wraps_at"] == 256
    assert set(told.parameters["per"].split("[")[0].split()) == {"B0"}
    assert "by itself it goes up by 1" in told.reason


@pytest.mark.parametrize("seed", range(4))
def test_a_number_whose_low_word_stands_first(seed):
    random = np.random.default_rng(seed)
    total = 1_000_000 * seed + np.cumsum(random.integers(50, 900, FRAMES))
    matrix = np.zeros((FRAMES, 8), np.uint8)
    put(matrix, "B4 B5 B2 B3", total)
    put(matrix, "B0 B1", slow(FRAMES, seed, 0, 3000))
    found = judge(matrix)
    (told,) = [one for one in found if one.places == "B4 B5 B2 B3"]
    assert told.parameters == {"reading": "unsigned"} and "the next one goes on by one" in told.reason
    assert told.confidence > 0.8


def test_a_number_with_a_sign_whose_low_word_stands_first():
    matrix = np.zeros((FRAMES, 4), np.uint8)
    put(matrix, "B2 B3 B0 B1", slow(FRAMES, 6, 0, 9000) - 4500)
    (told,) = [one for one in judge(matrix) if one.kind == "field"]
    assert (told.places, told.parameters) == ("B2 B3 B0 B1", {"reading": "signed"})


def test_words_in_the_plain_order_are_not_turned_round():
    matrix = np.zeros((FRAMES, 4), np.uint8)
    put(matrix, "B0 B1 B2 B3", np.cumsum(np.random.default_rng(3).integers(50, 900, FRAMES)))
    assert "B2 B3 B0 B1" not in {one.places for one in judge(matrix)}


def by_sender(misses=()):
    """Two senders in turns at random, each with its counter; frames in which one is a step too far."""
    who = np.random.default_rng(8).integers(0, 2, 400)
    matrix = np.zeros((400, 3), np.uint8)
    matrix[:, 0] = 7 + who
    for sender in (0, 1):
        rows = np.flatnonzero(who == sender)
        matrix[rows, 2] = np.arange(len(rows)) + 100 * sender
    matrix[list(misses), 2] += 1
    return matrix


def test_a_counter_by_sender_is_kept_as_one():
    found = findings_of(message(np.arange(400) / 100, by_sender()))[0x100]
    counter = next(one for one in found if one.kind == "counter")
    layout = new_layout("m", Applies(address=0x100), 3)
    with pytest.raises(MisuseError, match="by which it counts, is no field yet"):
        kept(layout, counter)
    made, _ = all_kept(layout, found, 0.0)
    (check,) = [one for one in made.checks if isinstance(one, Counter)]
    told_apart = [bit for field in made.fields if field.id in check.per for bit in field.places.bits]
    assert told_apart and set(told_apart) <= set(range(8))
    sizes = np.full(400, 3, np.uint32)
    for misses in ((), (200,)):
        matrix = np.pad(by_sender(misses), ((0, 0), (0, 5)))
        state = decode(compile_layout(made), matrix, sizes).checks[check.id].state
        assert (state == CheckState.DISAGREES).sum() == (2 if misses else 0)


def test_a_frame_that_contradicts_a_counter_by_sender_is_shown():
    meaning = meaning_of(message(np.arange(400) / 100, by_sender((200,))))
    (kind,) = unravel(meaning, Asked()).kinds
    counter = next(one for one in kind.findings if one.kind == "counter")
    seen = witness(meaning, 0, counter)
    assert seen.speaks is not None and seen.against is not None and seen.against.row == 200


def test_numbers_are_those_of_their_reading():
    matrix = np.array([[0x19, 0b110], [0x20, 0b111], [0x99, 0b101]], np.uint8)
    seen = seen_of(matrix)
    low = tuple(range(7, -1, -1))
    assert numbers_of(seen, low, "bcd").tolist() == [19, 20, 99]
    assert numbers_of(seen, (10, 9, 8), "gray").tolist() == [4, 5, 6]
    assert numbers_of(seen, (10, 9, 8), "sign-magnitude").tolist() == [-2, -3, -1]
    assert numbers_of(seen, (10, 9, 8), "signed").tolist() == [-2, -1, -3]


def test_the_upper_part_of_a_number_that_rises_is_no_counter():
    """Four a frame, now and then five or three: above the lowest two bits it goes up by one nearly always."""
    random = np.random.default_rng(10)
    steps = random.choice([3, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 5], 300)
    matrix = np.zeros((300, 4), np.uint8)
    put(matrix, "B0 B1 B2 B3", 81_000 + np.cumsum(steps))
    found = judge(matrix)
    assert not [one for one in found if one.kind == "counter"]
    assert [one.parameters["reading"] for one in found if one.kind == "field" and one.places.endswith("B3")] == [
        "unsigned"
    ]


def test_a_counter_beside_a_flag_below_it_stays_one_where_frames_are_lost():
    kept = np.sort(np.random.default_rng(11).choice(700, 690, replace=False))
    matrix = np.zeros((690, 2), np.uint8)
    matrix[:, 1] = (kept & 15) << 4 | (np.arange(690) // 90 % 2) << 3
    (told,) = [one for one in judge(matrix) if one.kind == "counter"]
    assert told.places == "B1[7..4]" and told.against > 5


def test_a_counter_of_all_frames_is_not_told_by_sender():
    matrix = np.zeros((FRAMES, 4), np.uint8)
    matrix[:, 0] = np.random.default_rng(6).integers(0, 4, FRAMES)
    matrix[:, 2] = np.arange(FRAMES) & 0xFF
    (told,) = [one for one in judge(matrix) if one.kind == "counter"]
    assert "per" not in told.parameters
