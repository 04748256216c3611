"""The frames that findings show are what they say: those for it fulfil it, those against it do not."""

import numpy as np
import pytest

from tests.unravel.test_judge import paged
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.across.question import Action
from zesty_abacus.core.unravel.look import Asked, unravel
from zesty_abacus.core.unravel.witness import witness

LOST, BROKEN = 400, 700
ACTIONS = [Action(int(at * 1e9), "lamp on") for at in (10.0, 20.0, 30.0, 40.0, 50.0)]
"""The lamp answers each of them 300 ms later, for two seconds."""


def payloads(count=1200, seconds=60.0):
    """Return frames of a lamp, a slow number, a counter that misses one, and an exclusive or that is wrong once."""
    times = np.linspace(0, seconds, count, endpoint=False)
    matrix = np.zeros((count, 8), np.uint8)
    matrix[:, 0] = np.round(100 + 90 * np.sin(times / 3))
    counts = np.arange(count) + (np.arange(count) >= LOST)
    matrix[:, 1] = counts % 16
    matrix[:, 2] = sum((times >= one.time_ns / 1e9 + 0.3) & (times < one.time_ns / 1e9 + 2.3) for one in ACTIONS)
    matrix[:, 3] = 0x5A
    matrix[:, 7] = np.bitwise_xor.reduce(matrix[:, :7], axis=1)
    matrix[BROKEN, 7] ^= 0xFF
    return (times * 1e9).astype(np.int64), matrix


@pytest.fixture(scope="module")
def found(capture_of):
    times, matrix = payloads()
    meaning = Meaning.of(capture_of(times, matrix), [])
    kind = unravel(meaning, Asked(), actions=ACTIONS).kinds[0]
    by_kind = {}
    for one in kind.findings:
        by_kind.setdefault(one.kind, []).append(one)
    return meaning, matrix, by_kind


def test_a_counter_shows_where_it_wraps_and_where_it_misses(found):
    meaning, matrix, by_kind = found
    place = witness(meaning, 0, by_kind["counter"][0])
    assert place.against.row == LOST
    assert matrix[place.speaks.row, 1] == 0 and matrix[place.speaks.row - 1, 1] == 15


def test_a_check_shows_the_frame_where_it_is_wrong(found):
    meaning, _matrix, by_kind = found
    assert witness(meaning, 0, by_kind["check"][0]).against.row == BROKEN


def test_an_answer_shows_the_frame_after_the_action(found):
    meaning, matrix, by_kind = found
    place = witness(meaning, 0, by_kind["reaction"][0], ACTIONS)
    assert matrix[place.speaks.row, 2] == 1 and matrix[place.speaks.row - 1, 2] == 0


def test_a_number_shows_the_frame_where_most_of_its_bits_turn(found):
    meaning, matrix, by_kind = found
    number = next(one for one in by_kind["field"] if one.places == "B0")
    place = witness(meaning, 0, number)
    turned = np.bitwise_count(matrix[1:, 0] ^ matrix[:-1, 0])
    assert turned[place.speaks.row - 1] == turned.max() and place.against is None


def test_what_never_moves_has_nothing_against_it(found):
    meaning, _matrix, by_kind = found
    for one in by_kind["constant"]:
        assert witness(meaning, 0, one).against is None


def test_a_frame_that_is_shown_is_long_enough_to_hold_what_is_said(capture_of):
    """Of one address short frames come first, which have no byte of the counter."""
    times = np.arange(600, dtype=np.int64) * 10_000_000
    long = np.zeros((400, 6), np.uint8)
    long[:, 5] = np.arange(400) % 16
    short = np.zeros((200, 2), np.uint8)
    sizes = np.array([2] * 200 + [6] * 400, np.uint32)
    table = FrameTable(
        times, np.zeros(600, np.uint16), np.full(600, 0x100, np.int64), np.zeros(600, np.uint32),
        np.cumsum(sizes, dtype=np.int64) - sizes, sizes, np.concatenate([short.ravel(), long.ravel()]),
    )  # fmt: skip
    meaning = Meaning.of(Capture.from_table(table, (Lane("can0"),)), [])
    (counter,) = (one for one in unravel(meaning, Asked()).kinds[0].findings if one.kind == "counter")
    place = witness(meaning, 0, counter)
    assert place.speaks.row >= 200 and table.payload_of(place.speaks.row)[5] == 0


def test_a_selector_shows_a_frame_in_which_another_page_begins(capture_of):
    matrix = paged()
    meaning = Meaning.of(capture_of(np.arange(len(matrix), dtype=np.int64) * 50_000_000, matrix), [])
    findings = unravel(meaning, Asked()).kinds[0].findings
    selector = next(one for one in findings if one.kind == "selector")
    assert selector.places == "B0[1..0]"
    shown = witness(meaning, 0, selector).speaks
    assert shown.row > 0 and matrix[shown.row, 0] & 3 != matrix[shown.row - 1, 0] & 3
