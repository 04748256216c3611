"""What was done against what answers it."""

from zesty_abacus.core.unravel.answers import answer_table
from zesty_abacus.core.unravel.finding import Finding, When


def reaction(text, places, address=0x100, confidence=0.9, value=1, when=()):
    parameters = {"moment": text, "delay_s": 0.1, "value": value}
    return 0, Finding("port", address, "", "", "reaction", places, parameters, 3, 0, confidence, "", when)


def test_what_answers_most_stands_first_and_nothing_is_lost():
    pairs = [
        reaction("horn", "B0[1]"), reaction("pump on", "B2[0]", value=1), reaction("pump off", "B2[0]", value=0),
        reaction("horn", "B2[0]", when=(When("B7", "1"),)),
        (0, Finding("port", 1, "", "", "period", "", {}, 1, 0, 1, "")),
    ]  # fmt: skip
    table = answer_table(pairs, ["pump on", "horn", "pump off", "pump on"])
    assert table.actions == (("pump on", 2), ("horn", 1), ("pump off", 1))
    assert [(place.places, bool(place.when)) for place in table.places] == [
        ("B2[0]", False), ("B0[1]", False), ("B2[0]", True),
    ]  # fmt: skip
    assert {(text, place.places, one.parameters["value"]) for (text, place), one in table.cells.items()} == {
        ("horn", "B0[1]", 1), ("horn", "B2[0]", 1), ("pump on", "B2[0]", 1), ("pump off", "B2[0]", 0),
    }  # fmt: skip


def test_of_two_answers_at_one_place_the_surer_one_is_told():
    sure, unsure = reaction("horn", "B0", confidence=0.9), reaction("horn", "B0", confidence=0.6, value=5)
    (one,) = answer_table([unsure, sure, unsure], ["horn"]).cells.values()
    assert one is sure[1]


def test_an_action_that_nothing_answers_has_a_row():
    assert answer_table([], ["horn"]).actions == (("horn", 1),)
