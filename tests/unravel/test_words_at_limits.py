"""Texts, numbers of swapped words, counters of senders and floats: each limit at, below and above."""

import numpy as np
import pytest

from tests.unravel.made import asked, places_of, put, slow
from zesty_abacus.core.frames.segment_frames import KindFrames
from zesty_abacus.core.unravel.questions.floats import doubles, floats
from zesty_abacus.core.unravel.questions.senders import counters_per
from zesty_abacus.core.unravel.questions.swapped import swapped
from zesty_abacus.core.unravel.questions.texts import texts
from zesty_abacus.core.unravel.questions.varying import without_strays

# texts


def rows(*texts_, width=8, fill=0):
    """Return texts one after the other, again and again, behind a byte that is none."""
    made = np.full((40, width + 1), fill, np.uint8)
    made[:, 0] = np.resize([1, 2], 40)
    for row in range(40):
        text = texts_[row % len(texts_)]
        made[row, 1 : 1 + len(text)] = np.frombuffer(text, np.uint8)
    return made


def test_a_text_is_told_with_its_first_frame_and_without_its_padding():
    (found,) = asked(texts, rows(b"PUMP 1", b"PUMP 27", b"VALVE", b"IDLE"))
    assert places_of(found) == "B1..B7" and found.parameters == {"encoding": "ascii"}
    assert found.reason == "All bytes are characters in all 40 frames, as in “PUMP 1”."
    # seven bytes of which more than four move: 0.55 + 7 * 0.05 + 4 * 0.05
    assert found.confidence == pytest.approx(0.97)
    (short,) = asked(texts, rows(b"HEAT", b"HEAT", width=5, fill=0x20))
    assert (places_of(short), short.confidence) == ("B1..B5", pytest.approx(0.8)), "it never moves"


@pytest.mark.parametrize(
    ("all_texts", "width", "there"),
    [
        ([b"HEAT"], 4, False), ([b"HEATS"], 5, True),
        # four bytes are enough where at least two of them move, in eight values more than there are bytes
        ([b"A1%02d" % n for n in range(20)], 4, True), ([b"A%d10" % n for n in range(10)], 4, False),
        ([b"AB%d%d" % (n % 5, n // 5) for n in range(25)], 4, True),
        ([b"A%d%d" % (n % 5, n // 5) for n in range(25)], 3, False),
        ([b"AB%d%d" % (n % 5, n // 5) for n in range(20)], 4, False),
        # four of five characters are those of words
        ([b"AB!CD EF"], 8, True), ([b"AB!C#DEFGH"], 10, True), ([b"AB!C#DEF%"], 9, False),
        ([b"AB\tCD\r\n"], 7, False), ([b"LONGER TEXT\r\n"], 13, True), ([b"ABC\x1fDEF"], 7, False),
        ([b"ABCDE\x7f"], 6, True),
    ],
)  # fmt: skip
def test_what_is_a_text(all_texts, width, there):
    assert bool(asked(texts, rows(*all_texts, width=width))) == there


def test_padding_stands_behind_and_never_before():
    assert not asked(texts, rows(b"\0\0ABC", b"DEFGH"))
    (found,) = asked(texts, rows(b"ABCDEFGH", b"XYZ", b"MNOPQR", fill=0xFF))
    assert places_of(found) == "B1..B8"


# numbers whose low word stands first


def words_of(values, count=2):
    """Return numbers as words of two bytes, each high byte first, the lowest word first."""
    made = np.zeros((len(values), 2 * count), np.uint8)
    for word in range(count):
        part = np.asarray(values, object) >> 16 * word
        made[:, 2 * word] = [int(one) >> 8 & 0xFF for one in part]
        made[:, 2 * word + 1] = [int(one) & 0xFF for one in part]
    return made


def rising(carries, per=16):
    """Return a number that goes on by steps of which the sixteenth runs over a word."""
    return np.arange(carries * per + per // 2) * (65536 // per)


def test_two_words_whose_second_goes_on_where_the_first_runs_over():
    (found,) = asked(swapped, words_of(rising(4)))
    assert (places_of(found), found.parameters) == ("B2 B3 B0 B1", {"reading": "unsigned"})
    assert found.reason == (
        "In all 4 times that a word runs over its end the next one goes on by one, and else it stays, in 72 frames."
    )
    assert (found.frames, found.against, found.confidence) == (72, 0, pytest.approx(0.9))
    assert asked(swapped, words_of(rising(10)))[0].confidence == pytest.approx(0.96)
    assert len(asked(swapped, words_of(rising(3)))) == 1 and asked(swapped, words_of(rising(2))) == []


def test_down_is_as_good_as_up():
    (found,) = asked(swapped, words_of(rising(4)[::-1]))
    assert found.against == 0


def test_four_words_are_one_number():
    first = 2**48 - 2 * 65536 - 100
    (found,) = asked(swapped, words_of([first + 8000 * n for n in range(40)], 4))
    assert places_of(found) == "B6 B7 B4 B5 B2 B3 B0 B1" and found.against == 0


def test_a_word_that_moves_in_between_is_another_number():
    matrix = words_of(rising(4))
    matrix[20, 3] += 1
    assert asked(swapped, matrix) == []


def test_steps_beyond_an_eighth_tell_no_carry():
    assert len(asked(swapped, words_of(np.arange(40) * 8192))) == 1
    assert asked(swapped, words_of(np.arange(40) * 8193)) == []


def test_a_high_word_of_a_sign_is_a_sign():
    wave = np.round(2000 * np.sin(np.arange(200) / 8)).astype(np.int64)
    (found,) = asked(swapped, words_of(wave))
    crossings = int((np.diff(wave < 0) != 0).sum())
    assert found.parameters == {"reading": "signed"}
    assert found.reason.startswith(f"In all {crossings} times that the first word runs over its end the next one turns")


# counters of senders


def by_sender(count=60, senders=3, wrap=16, place="B1[3..0]"):
    """Return frames of senders in no order, each with a counter of its own."""
    random = np.random.default_rng(2)
    who = random.integers(0, senders, count)
    who[: 2 * senders] = np.resize(np.arange(senders), 2 * senders)
    own = np.array([int((who[:n] == one).sum()) for n, one in enumerate(who)])
    matrix = np.zeros((count, 3), np.uint8)
    put(matrix, "B0", 0x20 + who)
    return put(matrix, place, own % wrap)


def test_a_counter_of_each_sender():
    (found,) = asked(counters_per, by_sender())
    assert (places_of(found), found.parameters) == ("B1[3..0]", {"step": 1, "wraps_at": 16, "per": "B0"})
    assert found.reason == (
        "Of each of the 3 values of B0 by itself it goes up by 1 in all 57 pairs, and from frame to frame it does not."
    )


def test_who_sends_has_at_most_sixteen_names_and_each_comes_a_dozen_times():
    assert len(asked(counters_per, by_sender(600, 16))) == 1
    assert asked(counters_per, by_sender(2400, 40)) == [], "half a byte of their names says too little"
    few = by_sender(60, 2)
    few = few[(few[:, 0] == 0x20) | (np.cumsum(few[:, 0] == 0x21) <= 12)]
    assert len(asked(counters_per, few)) == 1
    fewer = few[(few[:, 0] == 0x20) | (np.cumsum(few[:, 0] == 0x21) <= 11)]
    assert asked(counters_per, fewer) == []


# frames of lengths that hardly any have


@pytest.mark.parametrize(
    ("often", "kept"),
    [
        ({8: 9990, 3: 10}, [8]), ({8: 9980, 3: 20}, [3, 8]), ({8: 981, 7: 1, 6: 1}, [8]),
        # nine lengths of one frame each are not a hundredth, eleven are more
        ({8: 991, **dict.fromkeys(range(10, 19), 1)}, [8]),
        ({8: 989, **dict.fromkeys(range(10, 21), 1)}, [8, *range(10, 21)]),
    ],
)  # fmt: skip
def test_strays(often, kept):
    sizes = np.concatenate([np.full(count, size) for size, count in often.items()]).astype(np.uint32)
    rows_ = np.arange(len(sizes), dtype=np.uint32)
    frames = KindFrames(rows_, rows_.astype(np.int64), sizes, np.zeros((len(sizes), 24), np.uint8))
    left = without_strays(frames)
    assert np.unique(left.sizes).tolist() == kept and len(left) == sum(often[size] for size in kept)


# floats


def floating(values, order, kind=">f4"):
    ordered = np.asarray(values).astype(kind).view(np.uint8).reshape(len(values), -1)
    made = np.empty_like(ordered)
    for place, byte in enumerate(order):
        made[:, byte] = ordered[:, place]
    return made


QUANTITY = 20 + 3 * np.sin(np.arange(300) / 37) + np.random.default_rng(1).normal(0, 0.01, 300)


@pytest.mark.parametrize("order", [(0, 1, 2, 3), (3, 2, 1, 0), (2, 3, 0, 1), (1, 0, 3, 2)])
def test_a_float_in_each_customary_order(order):
    (found,) = asked(floats, floating(QUANTITY, order))
    assert [bit // 8 for bit in found.bits[::8]] == list(order)
    assert found.parameters == {"reading": "float"} and found.confidence == 0.95
    low, high = float(np.float32(QUANTITY.min())), float(np.float32(QUANTITY.max()))
    assert found.reason.startswith("As a floating-point number it runs smoothly from ")
    assert f"{low:.3g}" in found.reason and f"{high:.3g}" in found.reason


@pytest.mark.parametrize(
    "order", [(0, 1, 2, 3, 4, 5, 6, 7), (7, 6, 5, 4, 3, 2, 1, 0), (6, 7, 4, 5, 2, 3, 0, 1), (1, 0, 3, 2, 5, 4, 7, 6),
              (4, 5, 6, 7, 0, 1, 2, 3)],
)  # fmt: skip
def test_a_double_in_each_customary_order(order):
    (found,) = asked(doubles, floating(QUANTITY, order, ">f8"))
    assert [bit // 8 for bit in found.bits[::8]] == list(order)


@pytest.mark.parametrize(
    ("values", "there"),
    [
        (QUANTITY, True), (QUANTITY * 2.0**-28, True), (QUANTITY * 2.0**-29, False), (QUANTITY * 2.0**26, True),
        (QUANTITY * 2.0**28, False), (np.where(np.arange(300) % 2, QUANTITY, 0.0), False),
        # what is as rough as noise is none, and what takes a few values in its last byte was a whole number
        (np.random.default_rng(3).uniform(10, 20, 300), False), (np.round(QUANTITY * 4) / 4, False),
        (QUANTITY[:8], True), (QUANTITY[:7], False),
    ],
)  # fmt: skip
def test_what_is_likely_a_float(values, there):
    assert bool(asked(floats, floating(values, range(4)))) == there


def test_slow_numbers_are_no_floats():
    assert asked(floats, put(np.zeros((300, 4), np.uint8), "B0 B1 B2 B3", slow(300))) == []
