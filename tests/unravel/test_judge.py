"""What is said of one kind as a whole: nothing twice, nothing left out, pages apart, what is known not said again."""

from collections import Counter
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.unravel.made import findings_of, meaning_of, message, nothing_known, put, seen_of, slow
from zesty_abacus.core.layouts.checks.reserved import Reserved
from zesty_abacus.core.layouts.model import Applies, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.reading.proofs import says_something
from zesty_abacus.core.unravel.finding import Finding, bits_of
from zesty_abacus.core.unravel.judge import judged
from zesty_abacus.core.unravel.keeping import kept
from zesty_abacus.core.unravel.known import is_explained, known_of_kind
from zesty_abacus.core.unravel.look import Asked, unravel

FRAMES = 1200


def judge(matrix):
    seen = seen_of(matrix)
    return judged(seen, nothing_known(seen.size))


def places(found, kind):
    return [one.places for one in found if one.kind == kind]


def paged():
    """Return frames whose first half byte turns through three pages: a number, two others, a text."""
    matrix = np.zeros((FRAMES, 8), np.uint8)
    matrix[:, 0] = np.arange(FRAMES) % 3
    put(matrix, "B7", slow(FRAMES, 9, 0, 255))
    for page, where in ((0, ("B1 B2",)), (1, ("B2[3..0] B1", "B3 B4"))):
        rows = matrix[:, 0] == page
        for number, one in enumerate(where):
            part = matrix[rows]
            top = (1 << len(parse_places(one).bits)) - 1
            matrix[rows] = put(part, one, slow(len(part), 3 + number, top // 8, top))
    matrix[matrix[:, 0] == 2, 1:7] = np.frombuffer(b"YUZU-7", np.uint8)
    return matrix


@settings(max_examples=25)
@given(st.integers(0, 100_000))
def test_findings_fill_each_page_once(seed):
    """Whatever the frames are: on every page, and beside all pages, each bit is spoken of once."""
    random = np.random.default_rng(seed)
    size = int(random.integers(2, 9))
    matrix = random.integers(0, 256, (200, size), dtype=np.uint8) & random.integers(0, 256, size, dtype=np.uint8)
    if seed % 3 == 0:
        matrix[:, 0] = np.arange(200) % 4
    if seed % 2:
        matrix = np.repeat(matrix[:20], 10, axis=0)
    found = judge(matrix)
    raws = {when.places for one in found for when in one.when}
    for row in matrix[:: max(len(matrix) // 20, 1)]:
        here = {name: parse_places(name).raw_in(row.tobytes()) for name in raws}
        there = [one for one in found if all(here[when.places] == int(when.values) for when in one.when)]
        spoken = Counter(bit for one in there for bit in one.bits)
        assert set(spoken.values()) <= {1} and set(spoken) == set(range(size * 8))


@settings(max_examples=20)
@given(st.integers(0, 100_000))
def test_what_is_always_is_always(seed):
    random = np.random.default_rng(seed)
    matrix = random.integers(0, 256, (100, 4), dtype=np.uint8) & random.integers(0, 256, 4, dtype=np.uint8)
    for one in judge(matrix):
        if one.kind == "constant" and not one.when:
            raw = {parse_places(one.places).raw_in(row.tobytes()) for row in matrix}
            assert raw == {one.parameters["value"]} and one.against == 0


def test_pages_have_their_own_values():
    found = judge(paged())
    assert places(found, "selector") == ["B0[1..0]"]
    assert next(one for one in found if one.kind == "selector").parameters == {"values": [0, 1, 2]}
    by_page = {
        (one.when[0].values, one.places) for one in found if one.when and one.kind in ("field", "text") and one.when
    }
    assert {("0", "B1 B2"), ("1", "B2[3..0] B1"), ("1", "B3 B4"), ("2", "B1..B6")} <= by_page
    assert "B7" in [one.places for one in found if not one.when], "what goes on over all pages is on none of them"


def test_bytes_turned_round_are_a_safeguard():
    matrix = put(np.zeros((FRAMES, 4), np.uint8), "B0", slow(FRAMES, low=3, high=250))
    matrix[:, 2] = ~matrix[:, 0]
    matrix[17, 2] ^= 4
    (one,) = [one for one in judge(matrix) if one.kind == "complement"]
    assert (one.places, one.parameters, one.frames, one.against) == ("B2", {"of": "B0"}, FRAMES - 1, 1)


@pytest.mark.parametrize("order", ["B0 B1 B2 B3", "B3 B2 B1 B0", "B2 B3 B0 B1", "B1 B0 B3 B2"])
def test_floating_point_is_found_in_every_order(order):
    values = (np.sin(np.arange(FRAMES) / 40) * 37 + 50).astype(">f4").view(np.uint32).byteswap()
    matrix = put(np.zeros((FRAMES, 6), np.uint8), order, values)
    (one,) = [one for one in judge(matrix) if one.kind == "field"]
    assert one.parameters == {"reading": "float"} and one.bits == parse_places(order).bits


def test_a_number_and_a_counter_behind_still_bytes_are_no_float():
    matrix = put(np.zeros((FRAMES, 4), np.uint8), "B2 B3", slow(FRAMES, noise=40))
    matrix[:, 0] = 0x3C
    assert [one.parameters["reading"] for one in judge(matrix) if one.kind == "field"] == ["unsigned"]
    matrix[:, 1] = np.arange(FRAMES) % 16
    assert "float" not in [one.parameters.get("reading") for one in judge(matrix)]


def layout_of(*fields, checks=()):
    return new_layout("Known", Applies(address=0x100, lanes=("can0",)), 8, list(fields), checks=list(checks))


def known_pages():
    """Return the frames with pages, and a layout that knows the selector and one page."""
    page = new_field("page", parse_places("B0[1..0]"))
    first = new_field("first", parse_places("B1 B2"), selected=Selected(page.id, RawSet.of(0)))
    return paged(), layout_of(page, first)


def test_a_known_page_is_left_out_and_the_others_are_found():
    matrix, layout = known_pages()
    meaning = meaning_of(message(np.arange(FRAMES) / 50, matrix), layouts=[layout])
    found = unravel(meaning).kinds[0].findings
    assert not places(found, "selector"), "it is known"
    spoken = {(one.when[0].values if one.when else "", one.places) for one in found if one.kind in ("field", "text")}
    assert ("0", "B1 B2") not in spoken
    assert {("1", "B2[3..0] B1"), ("1", "B3 B4"), ("2", "B1..B6")} <= spoken


def test_what_is_explained_is_so_on_its_page_only():
    matrix, layout = known_pages()
    meaning = meaning_of(message(np.arange(FRAMES) / 50, matrix), layouts=[layout])
    known = known_of_kind(meaning, 0, 8)
    everything = unravel(meaning, Asked(with_known=True)).kinds[0].findings
    by_place = {(one.when[0].values if one.when else "", one.places): one for one in everything}
    assert is_explained(known, by_place["0", "B1 B2"]) and is_explained(known, by_place["", "B0[1..0]"])
    assert not is_explained(known, by_place["1", "B3 B4"])
    period = next(one for one in everything if one.kind == "period")
    assert not is_explained(known, period), "a statement about no bits is explained by none"


def test_reserved_bits_are_known():
    matrix = put(np.zeros((FRAMES, 8), np.uint8), "B0 B1", slow(FRAMES))
    reserved = Reserved(id=uuid4(), name="nothing", places=parse_places("B4..B7"))
    meaning = meaning_of(message(np.arange(FRAMES) / 50, matrix), layouts=[layout_of(checks=[reserved])])
    found = unravel(meaning).kinds[0].findings
    spoken = {bit for one in found for bit in bits_of(one)}
    assert spoken == set(range(32))


def test_a_selector_of_pages_that_are_alike_says_which_of_several_is_meant():
    """Four units send the same two quantities under their number; where pages differ nothing of it is said."""
    matrix = np.zeros((FRAMES, 6), np.uint8)
    matrix[:, 0] = np.arange(FRAMES) % 4
    for unit in range(4):
        rows = matrix[:, 0] == unit
        part = put(matrix[rows], "B1 B2", slow(FRAMES // 4, 20 + unit, 9_000 * unit, 9_000 * unit + 8_000))
        matrix[rows] = put(part, "B3 B4", slow(FRAMES // 4, 40 + unit, 3_000 * unit, 3_000 * unit + 60_000 // 4))
    alike = next(one for one in judge(matrix) if one.kind == "selector")
    unlike = next(one for one in judge(paged()) if one.kind == "selector")
    assert alike.parameters["values"] == [0, 1, 2, 3]
    assert "Under each of its 4 values the same 2 readings are there" in alike.reason
    assert "Under each" not in unlike.reason


def test_a_selector_beyond_the_payload_has_no_pages():
    page = new_field("page", parse_places("B6"))
    inside = new_field("inside", parse_places("B0"), selected=Selected(page.id, RawSet.of(1)))
    matrix = put(np.zeros((FRAMES, 2), np.uint8), "B0 B1", slow(FRAMES))
    meaning = meaning_of(message(np.arange(FRAMES) / 50, matrix), layouts=[layout_of(page, inside)])
    assert known_of_kind(meaning, 0, 2).pages == ()
    assert unravel(meaning).kinds[0].findings


def test_only_what_is_asked_for_is_given():
    times = np.arange(FRAMES) / 50
    matrix = paged()
    only = findings_of(message(times, matrix), kinds=["selector", "period"])[0x100]
    assert {one.kind for one in only} == {"selector", "period"}
    meaning = meaning_of(message(times, matrix), message(times, matrix))
    assert [kind.kind for kind in unravel(meaning, Asked(address=0x101)).kinds] == [1]
    assert unravel(meaning, Asked(lane="can7")).kinds == ()


def test_one_bit_that_turns_two_pages_is_what_selects():
    count = np.arange(1200)
    matrix = np.zeros((len(count), 6), np.uint8)
    put(matrix, "B0", 6 + count % 2)
    for page in (0, 1):
        rows = np.flatnonzero(count % 2 == page)
        own = matrix[rows]
        put(own, "B2 B1", slow(len(rows), seed=3 + page, low=2000, high=60000, noise=3))
        matrix[rows] = own
    selector = next(one for one in judged(seen_of(matrix), nothing_known(6)) if one.kind == "selector")
    assert selector.places == "B0[0]" and selector.parameters["values"] == [0, 1]


def test_a_flag_beside_what_selects_is_no_part_of_it():
    count = np.arange(1200)
    matrix = np.zeros((len(count), 6), np.uint8)
    put(matrix, "B0[2..0]", 4 + 2 * (count % 2))
    for page in (0, 1):
        rows = np.flatnonzero(count % 2 == page)
        own = matrix[rows]
        put(own, "B2 B1", slow(len(rows), seed=13 + page, low=2000, high=60000, noise=1))
        if page:
            put(own, "B0[3]", np.arange(len(rows)) // 190 % 2)
        matrix[rows] = own
    found = judged(seen_of(matrix), nothing_known(6))
    selector = next(one for one in found if one.kind == "selector")
    assert selector.places == "B0[1]", selector.reason


def test_the_lowest_bit_of_a_number_that_goes_by_ones_selects_nothing():
    random = np.random.default_rng(5)
    number = 900 + np.cumsum(random.choice([-1, 1], 1500, p=[0.45, 0.55]))
    matrix = put(np.zeros((1500, 4), np.uint8), "B1[3..0] B0", number)
    assert not any(one.kind == "selector" for one in judged(seen_of(matrix), nothing_known(4)))


@pytest.mark.parametrize("step", [1, 2])
def test_a_number_that_creeps_is_not_cut_at_its_carries(step):
    number = 300 + np.arange(4000) // (4 // step) % 1500
    matrix = put(np.zeros((4000, 3), np.uint8), "B1[2..0] B0", number)
    put(matrix, "B2", slow(4000, seed=8, low=10, high=240))
    places = {one.places for one in judged(seen_of(matrix), nothing_known(3)) if one.kind == "field"}
    assert places == {"B1[2..0] B0", "B2"}


def test_whole_numbers_side_by_side_are_no_float():
    count = 1200
    matrix = np.zeros((count, 6), np.uint8)
    put(matrix, "B0 B1[7..4]", slow(count, seed=21, low=700, high=3000))
    put(matrix, "B1[3..0] B2", slow(count, seed=22, low=-300, high=450))
    put(matrix, "B3 B4[7..4]", slow(count, seed=23, low=100, high=2000))
    put(matrix, "B4[3..0] B5[7..4]", slow(count, seed=24, low=5, high=250))
    found = [one for one in judged(seen_of(matrix), nothing_known(6)) if one.kind == "field"]
    assert not any(one.parameters["reading"] == "float" for one in found), [one.places for one in found]


def test_a_check_over_a_counter_and_a_state_selects_no_pages():
    """Of too few values to be solved, it is the same on each value of the counter until the state changes."""
    matrix = np.full((2400, 8), 0xFF, np.uint8)
    put(matrix, "B6[1..0]", np.arange(2400) % 4)
    put(matrix, "B0[4]", np.random.default_rng(12).integers(0, 2, 40).repeat(60))
    put(matrix, "B0[3..0]", 0)
    put(matrix, "B0[3..0]", ((matrix >> 4).sum(axis=1) + (matrix & 15).sum(axis=1)) % 16)
    said = judged(seen_of(matrix), nothing_known(8))
    assert not [one for one in said if one.kind == "selector"]
    assert "B0[4]" in [one.places for one in said if one.kind == "field"]


def test_pages_beside_a_state_that_seldom_changes_are_pages():
    random = np.random.default_rng(13)
    page = np.arange(3200) % 4
    matrix = np.zeros((3200, 5), np.uint8)
    put(matrix, "B0[1..0]", page)
    put(matrix, "B1[0]", random.integers(0, 2, 40).repeat(80))
    for number in range(4):
        rows = np.flatnonzero(page == number)
        own = matrix[rows]
        put(own, "B3 B2", slow(800, seed=number, low=100 + 9000 * number, high=6000 + 9000 * number))
        matrix[rows] = own
    selector = next(one for one in judged(seen_of(matrix), nothing_known(5)) if one.kind == "selector")
    assert selector.places == "B0[1..0]"


def test_the_lowest_bit_of_a_number_on_one_page_is_no_part_of_the_selector_beside_it():
    random = np.random.default_rng(14)
    page = random.permutation(np.resize([2, 5], 6000))
    matrix = np.zeros((6000, 6), np.uint8)
    put(matrix, "B1[2..0]", page)
    numbers = {
        2: {
            "B2[3..0] B1[7..5]": slow(6000, seed=1, low=38, high=72),
            "B5[6..0] B4[7..4]": slow(6000, low=65, high=1034),
        },
        5: {"B2[1..0] B1[7..3]": np.round(random.normal(0, 2, 6000) + slow(6000, seed=4, low=0, high=14) - 7)},
    }
    for value, fields in numbers.items():
        rows = np.flatnonzero(page == value)
        own = matrix[rows]
        for places, values in fields.items():
            put(own, places, values[rows].astype(np.int64))
        matrix[rows] = own
    selector = next(one for one in judged(seen_of(matrix), nothing_known(6)) if one.kind == "selector")
    assert selector.places == "B1[2..0]" and selector.parameters["values"] == [2, 5]


def test_what_turns_pages_is_told_before_a_counter_that_goes_round_with_them():
    count = np.arange(4000)
    matrix = np.zeros((4000, 6), np.uint8)
    put(matrix, "B0[2..0]", np.where(count % 2, 3, 1))
    put(matrix, "B5[1..0]", count % 4)
    for number in range(2):
        rows = np.flatnonzero(count % 2 == number)
        own = matrix[rows]
        put(own, "B2 B1", slow(2000, seed=number, low=100 + 9000 * number, high=6000 + 9000 * number))
        put(own, "B3", slow(2000, seed=7 + number, low=10 + 100 * number, high=90 + 100 * number))
        matrix[rows] = own
    said = judged(seen_of(matrix), nothing_known(6))
    assert next(one.places for one in said if one.kind == "selector").startswith("B0")


def test_text_that_is_sent_in_pieces_is_paged_by_their_number():
    """Every byte of it says which piece this is; the number does it in the fewest bits."""
    pieces = b"SN-2026-YUZU-000417.v2".ljust(28, b"\0")
    matrix = np.array([[n % 4, *pieces[n % 4 * 7 : n % 4 * 7 + 7]] for n in range(400)], np.uint8)
    found = judge(matrix)
    assert places(found, "selector") == ["B0[1..0]"] and not places(found, "counter")
    (reason,) = (one.reason for one in found if one.kind == "selector")
    assert reason.endswith(" times from frame to frame, but never between frames in which it is the same.")
    text = {one.when[0].values: one.reason.partition("“")[2].partition("”")[0] for one in found if one.kind == "text"}
    assert set(text) >= {"0", "1", "2"} and all(piece in pieces.decode("ascii", "replace") for piece in text.values())


def test_a_text_that_is_kept_unseen_has_a_name_that_says_something():
    """One that is only called text claims nothing, as anything could be called that."""
    text = Finding("bow", 0x100, "", "", "text", "B0..B5", {"encoding": "ascii"}, 40, 0, 0.9, "because")
    made = kept(new_layout("m", Applies(address=0x100), 8), text)
    assert [(one.name, one.kind.value) for one in made.fields] == [("label", "text")]
    assert says_something(made.fields[0])
