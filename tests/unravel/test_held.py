"""Messages that another one sets: a bank is written, and what is read after it means something else."""

import numpy as np
import pytest

from tests.unravel.made import findings_of, meaning_of, message, put, slow
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.unravel.finding import InMessage, When, bits_of
from zesty_abacus.core.unravel.keeping import kept
from zesty_abacus.core.unravel.look import unravel
from zesty_abacus.core.unravel.witness import witness

ROUNDS = 200
BANK = InMessage("can0", 0x100, "")


def banks(banks_in_turn=(0, 1, 2), seed=1):
    """Return the message that sets a bank, 20 ms apart, and the answer 5 ms after each."""
    turn = np.resize(banks_in_turn, ROUNDS * len(banks_in_turn))
    times = np.arange(len(turn)) * 0.02
    setting = np.zeros((len(turn), 2), np.uint8)
    setting[:, 0], setting[:, 1] = 0x0F, turn
    answer = np.zeros((len(turn), 6), np.uint8)
    for bank, (places, low, high) in enumerate([("B1 B0", 9000, 60000), ("B2", 30, 240), ("B0[7..2]", 3, 60)]):
        rows = np.flatnonzero(turn == bank)
        page = answer[rows]
        put(page, places, slow(len(rows), seed=seed + bank, low=low, high=high))
        answer[rows] = page
    answer[:, 5] = np.arange(len(turn)) % 256
    return message(times, setting), message(times + 0.005, answer)


def test_what_is_read_is_divided_by_what_was_set_last():
    found = findings_of(*banks())
    selector = next(one for one in found[0x100] if one.kind == "selector")
    assert selector.places == "B1[1..0]" and selector.parameters == {"values": [0, 1, 2], "holds": True}
    fields = {
        (one.places, one.when[0].values)
        for one in found[0x101] if one.kind == "field" and one.when and one.when[0].in_ == BANK
    }  # fmt: skip
    assert fields == {("B1 B0", "0"), ("B2", "1"), ("B0[7..2]", "2")}
    counter = next(one for one in found[0x101] if one.kind == "counter")
    assert counter.places == "B5" and counter.when == ()


def test_a_page_that_is_set_elsewhere_says_so_in_words_and_in_the_form():
    page = When("B1[1..0]", "2", BANK)
    assert page.words == "after B1[1..0] of 0x100 was 2" and When("B0", "3").words == "where B0 is 3"
    import msgspec

    assert msgspec.to_builtins(page) == {
        "places": "B1[1..0]", "values": "2", "in": {"lane": "can0", "address": 0x100, "flags": ""},
    }  # fmt: skip
    assert msgspec.to_builtins(When("B0", "3")) == {"places": "B0", "values": "3"}


def test_the_frame_that_is_shown_for_it_came_after_its_setting():
    messages = banks()
    meaning = meaning_of(*messages)
    one = next(one for one in findings_of(*messages)[0x101] if one.kind == "field" and one.places == "B2")
    seen = witness(meaning, 1, one)
    number = round(seen.speaks.time_ns / 20_000_000 - 0.25)
    assert messages[0][1][number, 1] == 1


def test_no_layout_can_say_that_another_message_selects():
    one = next(one for one in findings_of(*banks())[0x101] if one.kind == "field" and one.when)
    with pytest.raises(MisuseError, match="another message says when it is there"):
        kept(new_layout("answer", Applies(address=0x101), 6), one)


def test_a_state_that_goes_its_own_way_sets_nothing():
    random = np.random.default_rng(4)
    count = 600
    state = np.repeat(random.integers(0, 4, count), 1).astype(np.uint8)[:, None]
    other = np.zeros((count, 6), np.uint8)
    put(other, "B1 B0", slow(count, seed=5))
    put(other, "B3 B2", slow(count, seed=6))
    times = np.arange(count) * 0.02
    found = findings_of(message(times, state), message(times + 0.005, other))
    assert not any(one.parameters.get("holds") for one in found[0x100])
    assert all(not one.when for one in found[0x101])


def test_what_a_layout_explains_is_not_said_again():
    setting, answer = banks()
    bank = new_layout("bank", Applies(address=0x100), 2).with_field(new_field("bank", parse_places("B1")))
    count = new_layout("answer", Applies(address=0x101), 6).with_field(new_field("number", parse_places("B5")))
    found = unravel(meaning_of(setting, answer, layouts=[bank, count]), None).kinds
    of_bank, of_answer = found[0].findings, found[1].findings
    assert not any(one.kind == "selector" for one in of_bank)
    taken = set(parse_places("B5").bits)
    assert [one.places for one in of_answer if taken & set(bits_of(one))] == []
    assert any(one.kind == "field" and one.places == "B1 B0" and one.when for one in of_answer)
