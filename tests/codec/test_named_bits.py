"""Sets of named bits: decoded, said, written, asked, validated, and carried to and from other forms."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.codec.test_decode import at, decode_one
from zesty_abacus.core.codec.encode import EncodeError, raw_of
from zesty_abacus.core.codec.wording import value_text
from zesty_abacus.core.exchange import sunspec
from zesty_abacus.core.exchange.registry import layout_formats
from zesty_abacus.core.exchange.result import ExchangeError
from zesty_abacus.core.layouts.model import Applies, FieldKind, NamedValue, new_field, new_layout
from zesty_abacus.core.layouts.validate import check_layout

NAMES = (NamedValue(0, "bilge high"), NamedValue(3, "filter"), NamedValue(7, "service due"))
WARNINGS = new_field("warnings", at("B0"), FieldKind.BITS, names=NAMES)


@pytest.mark.parametrize(
    ("payload", "words"),
    [
        (0x00, "none"), (0x01, "bilge high"), (0x88, "filter, service due"), (0x89, "bilge high, filter, service due"),
        (0x24, "bit 2, bit 5"), (0x0C, "bit 2, filter"),
    ],
)  # fmt: skip
def test_the_names_that_are_set_are_shown_lowest_first(payload, words):
    column = decode_one(WARNINGS, bytes([payload]))
    assert value_text(column, 0) == words and column.raw[0] == payload
    labels, codes = column.labels()
    assert labels[codes[0]] == words
    assert raw_of(WARNINGS, words) == (payload, 0)


@given(st.integers(0, 255))
def test_what_is_said_is_what_is_sent(raw):
    assert raw_of(WARNINGS, WARNINGS.label_of(raw)) == (raw, 0)
    assert raw_of(WARNINGS, raw) == (raw, 0)


def test_blanks_and_order_do_not_matter_and_what_is_no_bit_is_refused():
    assert raw_of(WARNINGS, "service due,filter")[0] == 0x88 and raw_of(WARNINGS, "filter, filter")[0] == 8
    for wrong in ("flter", "filter, x", "bit 8", "", "bit -1"):
        with pytest.raises(EncodeError, match=r"is no value for it\..* It takes bilge high, filter, service due"):
            raw_of(WARNINGS, wrong)


@pytest.mark.parametrize(
    ("names", "words"),
    [
        ((), "is to show named bits but none has a name"),
        ((NamedValue(8, "x"),), "'x' names bit 8, but warnings has bits 0 to 7"),
        ((NamedValue(0, "x", 2),), "'x' names bit 0"),
        ((NamedValue(0, "x"), NamedValue(0, "y")), "names a bit twice: 0 'y'"),
        ((NamedValue(0, "x"), NamedValue(1, "x")), "names a bit twice: 1 'x'"),
        ((NamedValue(0, "a, b"),), "commas stand between names"),
        ((NamedValue(0, "none"),), "none is no bit"),
    ],
)
def test_names_that_cannot_be_are_told(names, words):
    layout = new_layout(
        "m", Applies(address=1), 1, fields=(new_field("warnings", at("B0"), FieldKind.BITS, names=names),)
    )
    assert any(words in problem.sentence for problem in check_layout(layout))
    assert not check_layout(new_layout("m", Applies(address=1), 1, fields=(WARNINGS,)))


MODEL = {
    "id": 64112,
    "group": {"name": "pump", "type": "group", "points": [
        {"name": "Evt", "type": "bitfield16", "size": 1, "symbols": [
            {"name": "LOW", "value": 0, "label": "low, very"}, {"name": "HOT", "value": 4},
            {"name": "FAR", "value": 16}, {"name": "TWICE", "value": 4}]},
        {"name": "Plain", "type": "bitfield32", "size": 2},
    ]},
}  # fmt: skip


def test_bit_fields_of_a_model_keep_the_names_of_their_bits_and_go_back():
    found = sunspec.read(json.dumps(MODEL).encode(), "model.json")
    evt, plain = found.layouts[0].fields
    assert (evt.kind, evt.names) == (FieldKind.BITS, (NamedValue(0, "low; very"), NamedValue(4, "HOT")))
    assert plain.kind is FieldKind.UNSIGNED
    assert [left.words() for left in found.left] == [
        "Evt: not carried over: the name 'FAR' of its bit 16 is not carried over.",
        "Evt: not carried over: the name 'TWICE' of its bit 4 is not carried over.",
    ]
    points = json.loads(sunspec.write(found.layouts).data)["group"]["points"]
    assert points[0]["type"] == "bitfield16" and points[0]["symbols"] == [
        {"name": "low; very", "value": 0}, {"name": "HOT", "value": 4},
    ]  # fmt: skip


@pytest.mark.parametrize("name", [one.word for one in layout_formats() if one.write is not None])
def test_no_form_writes_bits_as_values(name):
    """A form that has named values only says that the names are lost."""
    form = next(one for one in layout_formats() if one.word == name)
    layout = new_layout("Warnings", Applies(address=0x123, lanes=("can",)), 1, fields=(WARNINGS,))
    try:
        written = form.write([layout])
    except ExchangeError as refused:
        assert "map" in str(refused), "only forms of registers refuse a message"
        return
    kept = b"bits" in written.data and b"filter" in written.data
    assert kept or (b"filter" not in written.data and written.left)
