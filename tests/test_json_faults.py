"""What is wrong with a JSON file written by hand: all of it at once, with its place and what may stand there."""

from __future__ import annotations

from typing import Literal, Union
from uuid import UUID

import msgspec
import pytest

from zesty_abacus.core.errors import DataError
from zesty_abacus.core.json_faults import faults_in


class Wait(msgspec.Struct, tag_field="do", tag="wait", forbid_unknown_fields=True):
    for_: str = msgspec.field(name="for")


class Again(msgspec.Struct, tag_field="do", tag="again", forbid_unknown_fields=True):
    times: int
    steps: tuple[AnyStep, ...] = ()


AnyStep = Union[Wait, Again]  # noqa: UP007 - it stands before what it names


class Plan(msgspec.Struct, forbid_unknown_fields=True):
    name: str
    way: Literal["fast", "slow"] = "fast"
    share: float | None = None
    is_on: bool = True
    about: UUID | None = None
    lanes: dict[str, int] = {}
    steps: list[AnyStep] = []


class Field(msgspec.Struct):
    name: str
    size: int


class Table(msgspec.Struct):
    fields: list[Field]


class Own:
    pass


class Holder(msgspec.Struct):
    own: Own

    def __post_init__(self) -> None:
        raise ValueError("never whole")


GOOD = (
    b'{"name": "a", "way": "slow", "share": null, "steps": [{"do": "again", "times": 2, "steps": [{"do": "wait",'
    b' "for": "1 s"}]}]}'
)


def test_nothing_is_wrong_with_what_can_be_read():
    assert faults_in(GOOD, Plan) == []
    assert faults_in(b'{"name": "a", "share": 1, "lanes": {"x": 1}}', Plan) == []


@pytest.mark.parametrize(
    ("document", "told"),
    [
        ('{"way": "slow"}', ["name is missing"]),
        ('{"name": "a", "wya": "slow"}', ["nothing is called wya here. Did you mean way?"]),
        ('{"name": "a", "way": "sloow"}', ['way: "sloow" means nothing. Did you mean slow?']),
        ('{"name": "a", "way": 7}', ["way: 7 means nothing. There is fast, slow."]),
        ('{"name": 1}', ["name: it is a text, not 1"]),
        ('{"name": "a", "share": "half"}', ['share: it is a number, not "half"']),
        ('{"name": "a", "share": true}', ["share: it is a number, not true"]),
        ('{"name": "a", "is_on": 1}', ["is_on: it is true or false, not 1"]),
        ('{"name": "a", "about": "me"}', ['about: it is an identity, not "me"']),
        ('{"name": "a", "lanes": {"port": "x", "starboard": 2.5}}',
         ['lanes, port: it is a whole number, not "x"', "lanes, starboard: it is a whole number, not 2.5"]),
        ('{"name": "a", "lanes": []}', ["lanes: it is an object in braces, not a list"]),
        ('{"name": "a", "steps": {}}', ["steps: it is a list, not an object"]),
        ('{"name": "a", "steps": [{"do": "wiat", "for": "1 s"}]}',
         ['steps 1, do: "wiat" means nothing. Did you mean wait?']),
        ('{"name": "a", "steps": [{"for": "1 s"}]}', ["steps 1: do is missing"]),
        ('{"name": "a", "steps": [3]}', ["steps 1: it is an object in braces, not 3"]),
        ('{"name": "a", "steps": [{"do": "wait", "for": "s"}, {"do": "again", "steps": [{"do": "wait"}]}]}',
         ["steps 2: times is missing", "steps 2, steps 1: for is missing"]),
        ('[1]', ["it is an object in braces, not a list"]),
        ('{"name": "a" "way": "slow"}', ["line 1, letter 14: the JSON breaks off, expected ',' or '}'"]),
        ('{"name": "a",\n "way": slow}', ["line 2, letter 9: the JSON breaks off, invalid character"]),
        ('{"name": "ä",\n "ü": x}', ["line 2, letter 7: the JSON breaks off, invalid character"]),
        ('{"name": "a"', ["it ends in the middle"]),
        ("", ["it is empty"]),
    ],
)  # fmt: skip
def test_each_thing_that_is_wrong_is_told_with_its_place(document, told):
    assert faults_in(document.encode(), Plan) == told


def test_all_that_is_wrong_is_told_at_once():
    found = faults_in(
        b'{"name": 1, "way": "up", "share": [], "hue": 3, "steps": [{"do": "again", "times": "x"}]}', Plan
    )
    assert [one.partition(":")[0] for one in found] == [
        "nothing is called hue here. There is about, is_on, lanes, name, share, steps, way.",
        "name", "way", "share", "steps 1, times",
    ]  # fmt: skip


def test_a_thing_in_a_list_is_called_by_its_name():
    document = b'{"fields": [{"name": "heat", "size": "x"}, {"name": "", "size": "x"}]}'
    assert [one.partition(":")[0] for one in faults_in(document, Table)] == ["heat, size", "fields 2, size"]


def test_what_a_type_of_its_own_refuses_is_told_in_its_words():
    def refuse(kind, value):
        raise ValueError(f"{value} is no {kind.__name__}")

    assert faults_in(b'{"own": 3}', Holder, dec_hook=refuse) == ["own: 3 is no Own"]
    assert faults_in(b'{"own": 3}', Holder, dec_hook=lambda kind, value: Own()) == ["never whole"]


def test_text_that_is_none_is_told():
    assert faults_in(b'{"name": "\xff"}', Plan) == ["it holds bytes that are no UTF-8"]


def test_what_nests_too_deep_is_told():
    deep = b'{"name": "a", "steps": ' + b'[{"do": "again", "times": 1, "steps": ' * 5000 + b"[]" + b"}]" * 5000 + b"}"
    assert faults_in(deep, Plan) == ["it nests too deep"]


def test_an_error_says_how_many_things_are_wrong_and_then_each():
    one = DataError.of("this is no plan", ["name is missing"], where="a.json", hint="Write one.")
    assert str(one) == "a.json: this is no plan: name is missing. Write one." and one.details == ()
    several = DataError.of("this is no plan", ["x is missing", "y is missing"], where="a.json", hint="Write one.")
    assert str(several) == "a.json: this is no plan, 2 things are wrong. Write one.\n  x is missing\n  y is missing"
    many = DataError.of("no", [str(number) for number in range(42)])
    assert len(many.details) == 41 and many.details[-1] == "and 2 more"
    assert len(DataError.of("no", [str(number) for number in range(40)]).details) == 40
    asked = DataError.of("no", ["nothing is called x here. Did you mean y?"])
    assert str(asked) == "no: nothing is called x here. Did you mean y?"
