import numpy as np
import pytest

from zesty_abacus.core.layouts.model import FieldKind
from zesty_abacus.core.unravel.readings import bits_in_words, candidate_fields, readings_of, smoothness

ROWS = 2000
TIME = np.arange(ROWS) / 100


def matrix_of(values: np.ndarray, dtype: str, first: int = 2) -> np.ndarray:
    matrix = np.random.default_rng(0).integers(0, 256, (ROWS, 8), dtype=np.uint8)
    data = values.astype(dtype).view(np.uint8).reshape(ROWS, -1)
    matrix[:, first : first + data.shape[1]] = data
    return matrix


@pytest.mark.parametrize(
    ("dtype", "words"),
    [
        ("<i2", "signed, low byte first"),
        (">i2", "signed, high byte first"),
        ("<i4", "signed, low byte first"),
        (">i4", "signed, high byte first"),
    ],
)
def test_the_right_reading_of_a_swinging_value_comes_first(dtype, words):
    values = np.rint(700 * np.sin(TIME) + 90 * np.sin(TIME * 3.3))
    width = int(dtype[-1])
    bits = frozenset(range(16, 16 + width * 8))
    found = readings_of(bits, matrix_of(values, dtype), np.full(ROWS, 8, np.uint32))
    assert found[0].words == words
    assert (found[0].column.value == values).all()


def test_a_sign_read_as_magnitude_is_rough_even_with_one_jump():
    """A curve that crosses zero once makes one jump, which a mean alone would not see."""
    values = np.rint(np.linspace(500, -500, ROWS))
    found = readings_of(frozenset(range(16, 32)), matrix_of(values, ">i2"), np.full(ROWS, 8, np.uint32))
    assert found[0].words == "signed, high byte first"


def test_floats_are_found_and_implausible_ones_put_last():
    values = 20 + 5 * np.sin(TIME)
    found = readings_of(frozenset(range(16, 48)), matrix_of(values, ">f4"), np.full(ROWS, 8, np.uint32))
    single = next(item for item in found if item.words == "single float, high byte first")
    assert single.column.value == pytest.approx(values.astype("f4"))
    small = readings_of(frozenset(range(16, 32)), matrix_of(np.rint(values), ">i2"), np.full(ROWS, 8, np.uint32))
    half = next(item for item in small if item.words == "half float, high byte first")
    assert half.smoothness.roughness == float("inf"), "whole numbers below 1024 are subnormal as half floats"


def test_text_is_offered_only_where_there_is_text():
    matrix = np.zeros((50, 8), np.uint8)
    matrix[:, :4] = list(b"YZ-4")
    sizes = np.full(50, 8, np.uint32)
    assert "text" in [item.words for item in readings_of(frozenset(range(32)), matrix, sizes)]
    assert "text" not in [item.words for item in readings_of(frozenset(range(32, 64)), matrix, sizes)]


@pytest.mark.parametrize(
    ("bits", "count"),
    [
        (frozenset(), 0),
        (frozenset({3}), 1),
        (frozenset(range(8)), 2),
        (frozenset(range(16)), 7),
        (frozenset(range(600)), 0),
    ],
)
def test_every_width_has_its_readings(bits, count):
    fields = candidate_fields(bits)
    assert len(fields) == count
    assert all(set(field.places) == set(bits) for field in fields)
    if bits == frozenset({3}):
        assert fields[0].kind is FieldKind.FLAG


@pytest.mark.parametrize(
    "values", [[], [1.0, 2.0], [5.0] * 10, [np.nan] * 10, [np.nan] * 8 + [1, 2], [1e308, -1e308, 1e308, 0]]
)
def test_nothing_to_judge_is_infinite(values):
    assert smoothness(np.array(values)).roughness == float("inf")


def test_smooth_is_smoother_than_noise():
    noise = smoothness(np.random.default_rng(1).normal(size=5000)).roughness
    assert smoothness(np.sin(TIME)).roughness < 0.1 < 1.5 < noise


def test_selections_in_words():
    assert bits_in_words(frozenset(range(16, 32))) == "B2–B3, 16 bits"
    assert bits_in_words({34, 7}) == "B0[7] B4[2], 2 bits"
    assert bits_in_words({0}) == "B0[0], 1 bit"
