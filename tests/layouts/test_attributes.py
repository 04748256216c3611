"""What tells which answer belongs to which question: typed as a line of text, and at its limits."""

import msgspec
import pytest

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.attributes import attribute_text, with_attribute
from zesty_abacus.core.layouts.checks.pair import Matched, Pair
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
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
