from fractions import Fraction

import msgspec

from zesty_abacus.core.layouts.changes import describe_change
from zesty_abacus.core.layouts.model import Applies, CurvePoint, FieldKind, RawSet, Selected, new_field, new_layout
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
    assert describe_change(BASE, BASE) == "nothing changed"
    renamed = msgspec.structs.replace(BASE, name="Port pod", size=7, sender="pod")
    assert describe_change(BASE, renamed) == "renamed to Port pod, was Pod; 7 bytes, was 8; sent by pod"


def test_every_attribute_of_a_field_has_its_sentence():
    changes = {
        "name": "x", "places": at("B7"), "kind": FieldKind.FLOAT, "ratio": Fraction(3), "offset": Fraction(1),
        "unit": "m", "low": Fraction(0), "high": Fraction(9), "unavailable": RawSet.of(1), "errors": RawSet.of(2),
        "inverted": True, "padding": "", "base": 16, "digits": 4, "polynomial": (Fraction(1),),
        "table": (CurvePoint(Fraction(0), Fraction(1)),), "names": (), "note": "n",
        "selected": Selected(ANGLE.id, RawSet.of(1)), "encoding": "utf-8",
        "symbols": (Symbol("0", "a"), Symbol("1")),
    }  # fmt: skip
    assert set(changes) | {"id"} == set(RATE.__struct_fields__)
    for name, value in changes.items():
        if getattr(RATE, name) != value:
            text = describe_change(BASE, BASE.with_field(msgspec.structs.replace(RATE, **{name: value})))
            assert text != "nothing changed", name
