"""Names of people as identifiers."""

from __future__ import annotations

from uuid import UUID

import pytest

from tests.generate.compiled import made_of
from zesty_abacus.core.generate.errors import GenerateError
from zesty_abacus.core.generate.naming import Symbols, identifier
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at


@pytest.mark.parametrize(
    ("name", "wanted"),
    [
        ("water speed", "water_speed"), ("Motion", "motion"), ("2nd pump", "n2nd_pump"), ("  ", "unnamed"),
        ("Öldruck °C", "oldruck_deg_c"), ("50 %", "n50_percent"), ("a--b__c", "a_b_c"), ("漢字", "u6f22_u5b57"),
        ("x" * 90, "x" * 48), ("straße", "strasse"), ("R&D", "r_and_d"),
    ],
)  # fmt: skip
def test_a_name_is_legal_and_readable(name, wanted):
    assert identifier(name) == wanted


def test_who_was_there_keeps_the_name_and_the_other_gets_digits_of_its_identity():
    symbols = Symbols({"yuzu_taken"})
    first, second = UUID("aaaa1111-0000-4000-8000-000000000000"), UUID("bbbb2222-0000-4000-8000-000000000000")
    assert symbols.give("speed", first, "yuzu_{}", "yuzu_has_{}") == "speed"
    assert symbols.give("speed", second, "yuzu_{}", "yuzu_has_{}") == "speed_bbbb"
    assert symbols.give("taken", first, "yuzu_{}") == "taken_aaaa"


def test_what_is_spelled_plainly_keeps_its_name_wherever_it_stands():
    """A field that comes later does not take the name of one that firmware uses already."""
    odd, plain = new_field("water-speed", at("B0")), new_field("water speed", at("B1"))
    layout = new_layout("Motion", Applies(address=1), 2, [odd, plain])
    raws = {one.field: one.raw for one in made_of([layout]).manifest.messages[0].fields}
    assert raws["water speed"] == "water_speed_raw" and raws["water-speed"] == f"water_speed_{odd.id.hex[:4]}_raw"


def test_functions_of_different_messages_never_clash():
    short = new_layout(
        "Motion", Applies(address=1), 2, [new_field("water speed", at("B0")), new_field("unpack", at("B1"))]
    )
    long = new_layout("Motion water", Applies(address=2), 2, [new_field("speed", at("B0")), new_field("has", at("B1"))])
    names = [
        name for one in made_of([short, long]).manifest.messages
        for name in (one.unpack, one.pack, *(field.value for field in one.fields))
    ]  # fmt: skip
    assert len(set(names)) == len(names) == 8


def test_classes_of_different_messages_never_clash():
    """Digits beside digits would run together."""
    names = ["Pump 1 2", "Pump 12", "Pump12", "1 2", "12", "a b", "ab"]
    layouts = [new_layout(name, Applies(address=n), 1, [new_field("x", at("B0"))]) for n, name in enumerate(names)]
    structs = [one.struct for one in made_of(layouts, "python").manifest.messages]
    assert len(set(structs)) == len(names) and "Pump_1_2" in structs and "AB" in structs


def test_a_prefix_that_is_no_identifier_is_refused():
    layout = new_layout("Motion", Applies(address=1), 1, [new_field("x", at("B0"))])
    with pytest.raises(GenerateError, match="no prefix"):
        made_of([layout], prefix="My Tug")
    with pytest.raises(GenerateError, match="no message 'Nothing'"):
        made_of([layout], messages=["Nothing"])
