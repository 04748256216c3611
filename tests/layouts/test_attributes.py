"""What tells which answer belongs to which question: typed as a line of text, and at its limits."""

import msgspec
import pytest

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.attributes import attribute_text, with_attribute
from zesty_abacus.core.layouts.checks.pair import Matched, Pair
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.parts.group import Repeat
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.layouts.templates import TEMPLATES
from zesty_abacus.core.layouts.validate import check_layout


def ground():
    """Return a layout to put things into, with room behind its fields."""
    names = ("count", "kind", "unit", "sequence number", "level")
    fields = [new_field(name, parse_places(f"B{place}")) for place, name in enumerate(names)]
    return new_layout("Ground", Applies(protocol="serial"), 12, fields)


def answered(**settings):
    layout = ground()
    made = next(one for one in TEMPLATES if "Answered" in one.name).add(layout)
    return layout, msgspec.structs.replace(made.checks[0], **settings)


def test_what_tells_answers_apart_is_typed_as_pairs():
    layout, item = answered()
    number, unit = layout.fields[3].id, layout.fields[2].id
    both = "sequence number, unit = device"
    for text, match, written in (
        ("sequence number", (Matched(number),), "sequence number"),
        (both, (Matched(number), Matched(unit, "device")), both),
        (" unit=unit ,", (Matched(unit),), "unit"), ("", (), ""), (" , ", (), ""),
    ):  # fmt: skip
        changed = with_attribute(item, "match", text, layout)
        assert changed.match == match and attribute_text(changed, "match", layout) == written


@pytest.mark.parametrize(
    ("text", "words"),
    [("unit =", "'unit =' does not say by what. Write a field: number, unit = device."), ("speed", "speed"),
     ("= device", "there is no field ''."), ("unit = a, speed = b", "speed")],
)  # fmt: skip
def test_a_pair_that_is_none_is_told(text, words):
    layout, item = answered()
    with pytest.raises(MisuseError) as told:
        with_attribute(item, "match", text, layout)
    assert words in str(told.value)


@pytest.mark.parametrize(
    ("within", "is_said"), [(None, False), (1, False), (86_400_000, False), (0, True), (86_400_001, True)]
)
def test_an_answer_may_take_up_to_a_day(within, is_said):
    layout = ground()
    pair = Pair(id=layout.id, name="answered", answer="Answer", within_ms=within)
    said = [problem.sentence for problem in check_layout(msgspec.structs.replace(layout, checks=(pair,)))]
    assert said == ([f"answered waits for 1 ms to a day, not {within} ms."] if is_said else [])


def test_an_answer_has_a_name():
    layout = ground()
    pair = Pair(id=layout.id, name="answered", answer=" ")
    (problem,) = check_layout(msgspec.structs.replace(layout, checks=(pair,)))
    assert problem.sentence == "answered does not say which message answers."


@pytest.mark.parametrize("name", ["transaction", "The Sequence", "running number", "token 2", "value"])
def test_a_field_that_is_called_like_a_number_is_taken_to_match(name):
    layout = new_layout(
        "Ask", Applies(), 2, [new_field("first", parse_places("B0")), new_field(name, parse_places("B1"))]
    )
    made = next(one for one in TEMPLATES if "Answered" in one.name).add(layout)
    assert made.checks[0].answer == "Ask answer"
    assert made.checks[0].match == (() if name == "value" else (Matched(layout.fields[1].id),))


def dropped(name):
    """Return a layout with what a template adds, and that part."""
    layout = next(one for one in TEMPLATES if one.name == name).add(ground())
    return layout, layout.parts[-1]


@pytest.mark.parametrize(("name", "ways"), [
    ("Array", {"once", "count", "bytes", "to-end", "until"}), ("Packed numbers", {"count", "bytes", "to-end"}),
    ("Text columns", {"once", "count", "to-end"}),
])  # fmt: skip
def test_every_way_to_repeat_can_be_chosen_at_once_and_from_every_other(name, ways):
    """A count and an end are given where they are needed, so that no choice is refused for what is typed after it."""
    layout, part = dropped(name)
    offered = next(one for one in part.attributes if one.name == "repeat").choices
    assert set(offered) == ways
    for before in offered:
        for way in offered:
            made = with_attribute(with_attribute(part, "repeat", before, layout), "repeat", way, layout)
            assert made.repeat.value == way and not check_layout(layout.with_item(made)), (before, way)


def test_a_count_and_an_end_that_are_needed_are_one_and_a_byte_of_nothing():
    layout, array = dropped("Array")
    array = msgspec.structs.replace(array, repeat=Repeat.TO_END, amount=None)
    counted = with_attribute(array, "repeat", "count", layout)
    ended = with_attribute(array, "repeat", "until", layout)
    assert (str(counted.amount), counted.end) == ("1", "")
    assert (ended.amount, ended.end) == (None, "00")
    told = with_attribute(with_attribute(ended, "end", "FFFF", layout), "repeat", "until", layout)
    assert told.end == "FFFF", "what was typed stays"
    typed = with_attribute(counted, "amount", "count", layout)
    assert str(with_attribute(typed, "repeat", "bytes", layout).amount) == "count"


def test_an_end_that_is_typed_says_that_it_goes_on_until_it():
    layout, array = dropped("Array")
    made = with_attribute(array, "end", "0D0A", layout)
    assert (made.repeat.value, made.end) == ("until", "0D0A") and not check_layout(layout.with_item(made))
    assert with_attribute(made, "repeat", "once", layout).end == "", "what it rules out goes"
    with_none = with_attribute(made, "end", "", layout)
    assert with_none.repeat.value == "until" and check_layout(layout.with_item(with_none)), "no end is still told"
