"""Lines that forms read and write: numbers, yes and no, what selects a part, names of values, characters escaped."""

from __future__ import annotations

from fractions import Fraction
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.attribute import (
    expression_or,
    field_named,
    name_of_field,
    optional_exact,
    optional_places,
    optional_whole,
    selected_text,
    shown,
    when_selected,
    whole,
    whole_or_one,
    yes,
)
from zesty_abacus.core.layouts.attributes import attribute_text, attributes_of, with_attribute
from zesty_abacus.core.layouts.escapes import escaped_text, read_escapes
from zesty_abacus.core.layouts.model import (
    Applies,
    Crc,
    NamedValue,
    RawSet,
    Repeat,
    Selected,
    TextLine,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.names import names_text, parse_names, word_of
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at

PAGE, CHECK = new_field("page", at("B0")), new_field("check", at("B1"))
LAYOUT = new_layout("m", Applies(protocol="serial"), 2, [PAGE, CHECK])


@pytest.mark.parametrize(
    ("reader", "text", "value"),
    [
        (whole, "", 0), (whole, "16", 16), (whole, "0x1021", 0x1021), (whole_or_one, "", 1), (whole_or_one, "3", 3),
        (optional_whole, "", None), (optional_whole, "0", 0), (optional_exact, "", None),
        (optional_exact, "1/3", Fraction(1, 3)), (optional_places, "", None), (optional_places, "B0", at("B0")),
        (yes, "yes", True), (yes, "no", False), (yes, "", False), (when_selected, "", None),
        (when_selected, "always", None),
        (when_selected, "page = 1, 3..5", Selected(PAGE.id, RawSet([(1, 1), (3, 5)]))),
        (field_named, "check", CHECK.id),
    ],
)  # fmt: skip
def test_what_a_line_means(reader, text, value):
    assert reader(text, LAYOUT) == value


def test_an_expression_has_what_stands_where_nothing_is_written():
    assert str(expression_or("size")("", LAYOUT)) == "size" and str(expression_or("size")("2", LAYOUT)) == "2"


@pytest.mark.parametrize(
    ("reader", "text", "words"),
    [(whole, "x", "'x' is not a whole number"), (field_named, "chekc", "There are page, check"),
     (when_selected, "page 1", "does not say when"), (when_selected, "pgae = 1", "no field 'pgae'")],
)  # fmt: skip
def test_what_a_line_cannot_mean(reader, text, words):
    with pytest.raises(MisuseError, match=words):
        reader(text, LAYOUT)


@pytest.mark.parametrize(
    ("value", "text"),
    [(None, ""), (True, "yes"), (False, "no"), (Fraction(1, 4), "0.25"), (Fraction(1, 3), "1/3"), (7, "7"),
     (Repeat.TO_END, "to-end"), ("a b", "a b"), (at("B1 B0"), "B1 B0")],
)  # fmt: skip
def test_how_a_value_is_written(value, text):
    assert shown(value, None, LAYOUT) == text


def test_fields_are_written_by_their_names():
    assert name_of_field(CHECK.id, None, LAYOUT) == "check" and name_of_field(uuid4(), None, LAYOUT) == "?"
    assert selected_text(None, None, LAYOUT) == ""
    assert selected_text(Selected(PAGE.id, RawSet.of(2)), None, LAYOUT) == "page = 2"


def test_every_line_of_a_form_is_read_back_as_it_was_written():
    items = (
        Crc(id=uuid4(), name="c", field=CHECK.id, width=8, polynomial=0x2F, start=255, reflect_in=True),
        TextLine(id=uuid4(), name="l", columns=(new_field("a", Places(())),), separator="\t", ends="\r\n", merges=True,
                 goes_on=True, selected=Selected(PAGE.id, RawSet.of(2))),
    )  # fmt: skip
    layout = new_layout("m", Applies(protocol="serial"), 2, [PAGE, CHECK], checks=items[:1], parts=items[1:])
    for item in items:
        for attribute in attributes_of(item):
            text = attribute_text(item, attribute.name, layout)
            assert with_attribute(item, attribute.name, text, layout) == item, attribute.name
    written = {one.name: attribute_text(items[0], one.name, layout) for one in attributes_of(items[0])}
    assert written["polynomial"] == "0x2F" and written["start"] == "0xFF" and written["reflect_in"] == "yes"
    line = {one.name: attribute_text(items[1], one.name, layout) for one in attributes_of(items[1])}
    assert (line["separator"], line["ends"], line["merges"], line["repeat"]) == (r"\t", r"\r\n", "yes", "once")


# escapes


@given(st.text(st.characters(max_codepoint=255), max_size=30))
def test_escaped_texts_can_be_shown_and_come_back(text):
    written = escaped_text(text)
    assert written.isprintable() and read_escapes(written) == text


@pytest.mark.parametrize(
    ("written", "text"),
    [(r"\r\n", "\r\n"), (r"\x02", "\x02"), (r"a\\n", "a\\n"), ("*", "*"), (r"\0\t", "\0\t"), ("", ""),
     (r"\x20", " "), (r"a b\x20", "a b ")],
)  # fmt: skip
def test_what_escapes_stand_for(written, text):
    assert read_escapes(written) == text and escaped_text(text) == written


@pytest.mark.parametrize("text", ["\\", r"\q", r"\x1", r"\xZZ"])
def test_an_escape_that_stands_for_nothing_is_told(text):
    with pytest.raises(MisuseError, match="stands for nothing"):
        read_escapes(text)


# names of values


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("", ()), ("0 off, 1 on", ((0, "off", None), (1, "on", None))), ("0=off; 1=on", ((0, "off", None),
        (1, "on", None))),
        ("0x10..0x1F: spare", ((16, "spare", 31),)), ("-1 back\n1 ahead", ((-1, "back", None), (1, "ahead", None))),
        ('"Y" yes, "N" no', ((89, "yes", None), (78, "no", None))),
        ('"AUTO" by itself', ((0x4155544F, "by itself", None),)),
        ('"," comma', ((44, "comma", None),)), ("7 not known yet", ((7, "not known yet", None),)),
    ],
)  # fmt: skip
def test_names_of_values_are_read(text, names):
    assert parse_names(text) == tuple(NamedValue(raw, label, to) for raw, label, to in names)


@pytest.mark.parametrize("text", ["off", "0", "0 ", "1.5 half", '"TOOLONGAWORD" x', "a..b c"])
def test_what_names_nothing_is_told(text):
    with pytest.raises(MisuseError, match="is no value and its name"):
        parse_names(text)


def test_names_are_written_as_they_are_read():
    names = (NamedValue(89, "yes"), NamedValue(0, "none"), NamedValue(5, "some", 9))
    assert names_text(names) == "89 yes, 0 none, 5..9 some"
    assert names_text(names, in_text=True) == '"Y" yes, 0 none, 5..9 some'
    assert parse_names(names_text(names)) == names == parse_names(names_text(names, in_text=True))


@given(st.text("ABCXYZabc_+-?", min_size=1, max_size=8))
def test_a_word_is_the_codes_of_its_characters(word):
    assert word_of(int.from_bytes(word.encode())) == word


@pytest.mark.parametrize("raw", [0, 7, 31, 0x31, 0x3132, 300, 2**64, ord(","), ord('"'), ord(" "), 200])
def test_what_is_no_word(raw):
    assert word_of(raw) == ""


@pytest.mark.parametrize(("repeat", "names"), [
    (Repeat.ONCE, []), (Repeat.COUNT, ["line"]), (Repeat.TO_END, ["line"]),
])  # fmt: skip
def test_a_line_whose_columns_repeat_is_given_as_a_list(repeat, names):
    line = TextLine(id=uuid4(), name="line", columns=(), repeat=repeat)
    assert [part.name for part in new_layout("m", Applies(), 0, (), parts=(line,)).lists()] == names
