from fractions import Fraction
from uuid import uuid4

import msgspec
import pytest

from zesty_abacus.core.layouts.changes import describe_change
from zesty_abacus.core.layouts.model import (
    Applies,
    CurvePoint,
    FieldKind,
    NamedValue,
    RawSet,
    Selected,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.parts.text_line import NO_PLACES, TextLine
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.symbols import Symbol

ANGLE = new_field("angle", at("B1 B0"), FieldKind.SIGNED, ratio=Fraction(1, 20), unit="deg")
RATE = new_field("rate", at("B3 B2"))
BASE = new_layout("Pod", Applies(address=0x1A1), 8, [ANGLE, RATE])


def test_adding_a_field_keeps_reading_order():
    early, late = new_field("early", at("B2[7]")), new_field("late", at("B7"))
    layout = BASE.without_field(RATE.id).with_field(late).with_field(early)
    assert [field.name for field in layout.fields] == ["angle", "early", "late"]


def test_replacing_a_field_keeps_its_place_and_identity():
    signed = msgspec.structs.replace(RATE, kind=FieldKind.SIGNED)
    changed = BASE.with_field(signed)
    assert [field.id for field in changed.fields] == [ANGLE.id, RATE.id]
    assert BASE.field(RATE.id).kind is FieldKind.UNSIGNED, "the old layout is as it was"


def test_removing_a_selector_frees_what_it_selects():
    page = new_field("page", at("B7"))
    layout = BASE.with_field(page).with_field(msgspec.structs.replace(RATE, selected=Selected(page.id, RawSet.of(1))))
    assert layout.without_field(page.id).field(RATE.id).selected is None


def test_lanes_and_addresses_decide_what_a_layout_reads():
    applies = Applies(address=0x1A1, lanes=("thruster",))
    assert applies.is_for("thruster", "can")
    assert not applies.is_for("battery", "can") and not applies.is_for("thruster", "i2c")
    assert Applies(address=0x1A1).is_for("any", "can")


def test_changes_are_told_in_sentences():
    signed = BASE.with_field(msgspec.structs.replace(RATE, kind=FieldKind.SIGNED))
    assert describe_change(BASE, signed) == "rate is signed, was unsigned"
    step = BASE.with_field(msgspec.structs.replace(ANGLE, ratio=Fraction(1, 8)))
    assert describe_change(BASE, step) == "angle step 0.125, was 0.05"
    moved = BASE.with_field(msgspec.structs.replace(RATE, places=at("B2 B3")))
    assert describe_change(BASE, moved) == "rate at B2 B3, was B3 B2"
    assert describe_change(BASE, BASE.without_field(RATE.id)) == "rate removed"
    assert describe_change(None, BASE) == "layout began with 2 fields"
    assert describe_change(None, msgspec.structs.replace(BASE, fields=())) == "layout began without a field"
    line = TextLine(id=uuid4(), name="line", columns=tuple(new_field(name, NO_PLACES) for name in "abc"))
    assert describe_change(None, BASE.with_item(line)) == "layout began with 5 fields"
    assert describe_change(BASE, BASE) == "nothing changed"
    renamed = msgspec.structs.replace(BASE, name="Port pod", size=7, sender="pod")
    assert describe_change(BASE, renamed) == "renamed to Port pod, was Pod; 7 bytes, was 8; sent by pod"


SENTENCES = {
    "name": ("x", "rate renamed to x"), "places": (at("B7"), "rate at B7, was B3 B2"),
    "kind": (FieldKind.FLOAT, "rate is floating point, was unsigned"), "ratio": (Fraction(3), "rate step 3, was 1"),
    "offset": (Fraction(1), "rate offset 1, was 0"), "unit": ("m", "rate in m, was no unit"),
    "low": (Fraction(0), "rate limits 0 to open"), "high": (Fraction(9), "rate limits open to 9"),
    "unavailable": (RawSet.of(1), "rate not available at 1"), "errors": (RawSet.of(2), "rate reports a fault at 2"),
    "inverted": (True, "rate is inverted"), "padding": ("", "rate filled up with ''"),
    "base": (16, "rate written in base 16, was 10"), "digits": (4, "rate written with 4 digits, was as many"),
    "polynomial": ((Fraction(1),), "rate polynomial of 1 coefficient"),
    "table": ((CurvePoint(Fraction(0), Fraction(1)),) * 2, "rate table of 2 corners"),
    "names": ((NamedValue(0, "off"),), "rate has 1 named value"), "note": ("n", "note on rate rewritten"),
    "selected": (Selected(ANGLE.id, RawSet.of(1)), "rate depends on a selector"),
    "encoding": ("utf-8", "rate encoded as utf-8"),
    "symbols": ((Symbol("0", "a"), Symbol("1")), "rate code table of 2 symbols"),
}  # fmt: skip
BACK = {
    "unit": "rate in no unit, was m", "unavailable": "rate not available at no value",
    "errors": "rate reports a fault at no value", "inverted": "rate is not inverted",
    "digits": "rate written with as many digits, was 4", "polynomial": "rate has no polynomial",
    "table": "rate has no table", "names": "rate has no named values", "selected": "rate is always present",
    "symbols": "rate has no code table", "low": "rate limits open to open",
}  # fmt: skip


@pytest.mark.parametrize("name", sorted({*RATE.__struct_fields__} - {"id"}))
def test_every_attribute_of_a_field_has_its_sentence(name):
    value, sentence = SENTENCES[name]
    if getattr(RATE, name) == value:
        value, sentence = "ascii", "rate encoded as ascii"
    changed = BASE.with_field(msgspec.structs.replace(RATE, **{name: value}))
    assert describe_change(BASE, changed) == sentence
    if name in BACK:
        assert describe_change(changed, BASE) == BACK[name]
