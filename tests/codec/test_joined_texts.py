"""Texts that are put together of several fields, and their template."""

from fractions import Fraction
from uuid import uuid4

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.codec.columns import Validity
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.joined import JoinedText, Piece
from zesty_abacus.core.layouts.json_form import layout_from_json, layout_to_json
from zesty_abacus.core.layouts.model import (
    Applies,
    Computed,
    Expression,
    FieldKind,
    NamedValue,
    RawSet,
    TextLine,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout

from .frames import decoded_of


def joined(text, name="said", **settings):
    return Computed(id=uuid4(), name=name, text=JoinedText(text), **settings)


def layout_of(*computed, fields=(), parts=(), size=0):
    layout = new_layout("message", Applies(protocol="serial"), size, fields, parts=parts, computed=computed)
    assert check_layout(layout) == []
    assert layout_from_json(layout_to_json(layout)) == layout
    return layout


def said(layout, *payloads, name="said"):
    """Return the text of each payload, or why there is none."""
    column = decoded_of(layout, *payloads).columns[next(one.id for one in layout.all_computed() if one.name == name)]
    states = [Validity(state) for state in column.validity]
    return [column.text_of(row) if state == Validity.GOOD else state.words for row, state in enumerate(states)]


CLOCK = [new_field("hours", at("B0")), new_field("minutes", at("B1"), unavailable=RawSet.of(255))]


def test_a_time_of_two_numbers():
    layout = layout_of(joined("{hours:02}:{minutes:02} h"), fields=CLOCK, size=2)
    assert said(layout, b"\x07\x05", b"\x17\x3b", b"\x01\xff", b"\x01") == [
        "07:05 h", "23:59 h", "not available", "too short",
    ]  # fmt: skip


def test_names_texts_and_scaled_numbers_in_one():
    fields = [
        new_field("side", at("B0[0]"), FieldKind.NAMES, names=(NamedValue(0, "port"), NamedValue(1, "starboard"))),
        new_field("heat", at("B1"), FieldKind.SIGNED, ratio=Fraction(1, 4)),
        new_field("mark", at("B2 B3"), FieldKind.TEXT),
    ]
    layout = layout_of(joined("{side} {heat:.1} °C {{{mark}}}"), joined("{heat}", "bare"), fields=fields, size=4)
    assert said(layout, b"\x01\xfeAB", b"\x00\x28C ") == ["starboard -0.5 °C {AB}", "port 10.0 °C {C}"]
    assert said(layout, b"\x01\xfeAB", b"\x00\x28C ", name="bare") == ["-0.50", "10"]


def test_columns_of_a_line_become_one_text():
    columns = tuple(new_field(name, Places(()), FieldKind.TEXT) for name in ("street", "number", "town"))
    line = TextLine(id=uuid4(), name="line", columns=columns, separator=";")
    layout = layout_of(joined("{town}, {street} {number}"), parts=(line,))
    assert said(layout, b"Quay;7;Port", b"Pier;;Bay") == ["Port, Quay 7", "not available"]


def test_it_follows_a_new_name_and_another_text_takes_it_up():
    layout = layout_of(joined("{hours:02}"), joined("at {said}", "whole"), fields=CLOCK, size=2)
    again = layout.with_field(msgspec.structs.replace(CLOCK[0], name="h of the day"))
    assert str(again.computed[0].text) == "{h of the day:02}" and check_layout(again) == []
    assert said(again, b"\x07\x05", name="whole") == ["at 07"]


@pytest.mark.parametrize(
    ("computed", "sentence"),
    [
        (joined("{seconds}"), "There is nothing called seconds that is there once a frame."),
        (joined("{hours}", expression=Expression("hours")), "said is put together as a text; it is computed as well."),
        (joined("{hours}", unit="h"), "said is a text, which has no unit, names or limits."),
    ],
)
def test_what_cannot_be_put_together_is_told(computed, sentence):
    layout = new_layout("message", Applies(protocol="serial"), 2, CLOCK, computed=(computed,))
    assert [one.sentence for one in check_layout(layout)] == [sentence]


@pytest.mark.parametrize(
    ("text", "pieces"),
    [
        ("{a}", (Piece("a"),)), ("{ a b :02}", (Piece("a b", width=2),)), ("{a:.3}x", (Piece("a", decimals=3), "x")),
        ("{{a}}", ("{", "a", "}")), ("", ()),
    ],
)  # fmt: skip
def test_a_template_is_read(text, pieces):
    assert JoinedText(text).pieces == pieces


@pytest.mark.parametrize("text", ["{", "}", "{a", "a}", "{}", "{a:x}", "{a:.}", "{a:2}", "x" * 1001])
def test_a_template_that_cannot_be_read_is_refused(text):
    with pytest.raises(MisuseError):
        JoinedText(text)


@given(
    st.lists(st.integers(0, 255), min_size=1, max_size=30),
    st.text(st.characters(exclude_characters="{}\0", codec="utf-8"), max_size=8),
)
def test_each_row_says_its_own_number(numbers, between):
    fields = [new_field("hours", at("B0")), new_field("minutes", at("B1"))]
    layout = layout_of(joined(f"{between}{{hours}}{between}{{minutes}}"), fields=fields, size=2)
    rows = [bytes([one, 255 - one]) for one in numbers]
    assert said(layout, *rows) == [f"{between}{one}{between}{255 - one}" for one in numbers]


def test_a_template_is_no_longer_than_a_thousand_characters():
    assert JoinedText("{name}" + "x" * 994).names == ("name",)
    with pytest.raises(MisuseError, match="a text of 1001 characters is longer than 1000"):
        JoinedText("{name}" + "x" * 995)
