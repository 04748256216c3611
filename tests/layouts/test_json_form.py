import contextlib
import json
from fractions import Fraction

import jsonschema
import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import layouts
from zesty_abacus.core.layouts.json_form import (
    SCHEMA_PATH,
    LayoutFormError,
    layout_from_json,
    layout_to_json,
    layouts_from_file,
    layouts_from_text,
    layouts_to_file_text,
)
from zesty_abacus.core.layouts.model import Applies, FieldKind, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at

ID = "8b62f8e7-4fda-4996-a3fe-9b24ef3b1c78"
# made once: the function of the package looks at the whole schema first, each time
OBEYS = jsonschema.Draft202012Validator(json.loads(SCHEMA_PATH.read_text()))


@given(st.lists(layouts(), max_size=3))
def test_form_round_trips_and_obeys_the_published_schema(several):
    text = layouts_to_file_text(several)
    assert layouts_from_text(text.encode()) == several
    OBEYS.validate(json.loads(text))


def test_text_is_stable():
    page = new_field("page", at("B0"))
    inner = new_field("rate", at("B3[3..0] B2"), FieldKind.SIGNED, ratio=Fraction(1, 20), unit="deg",
                      selected=Selected(page.id, RawSet.of(1)))  # fmt: skip
    layout = new_layout("Message", Applies(address=0x18FF0210, extended=True, lanes=("battery",)), 8, [page, inner])
    text = layouts_to_file_text([layout])
    assert layouts_to_file_text(layouts_from_text(text.encode())) == text
    field = json.loads(text)["layouts"][0]["fields"][1]
    assert field["places"] == "B3[3..0] B2" and field["ratio"] == "0.05" and field["kind"] == "signed"


@pytest.mark.parametrize(
    ("change", "place"),
    [
        ({"size": "eight"}, "$.size"),
        ({"fields": [{"name": "a"}]}, "$.fields[0]"),
        ({"fields": [{"id": "x", "name": "a", "places": "B0"}]}, "$.fields[0].id"),
        ({"fields": [{"id": ID, "name": "a", "places": "B0[9]"}]}, "places"),
        ({"fields": [{"id": ID, "name": "a", "places": "B0", "ratio": "x"}]}, "ratio"),
        ({"surprise": 1}, "surprise"),
    ],
)  # fmt: skip
def test_an_error_names_the_element(change, place):
    good = json.loads(layout_to_json(new_layout("m", Applies(address=1), 8)))
    with pytest.raises(LayoutFormError) as caught:
        layout_from_json(json.dumps(good | change).encode())
    assert place in str(caught.value)


@pytest.mark.parametrize(
    "text",
    ["", "[]", "{}", '{"format":"other","version":1,"layouts":[]}',
     '{"format":"zesty-abacus layouts","version":9,"layouts":[]}',
     "[" * 100_000, '{"format":"zesty-abacus layouts","version":1,"layouts":[1]}', "\x00\xff"],
)  # fmt: skip
def test_what_is_no_layout_file_is_refused(text):
    with pytest.raises(LayoutFormError):
        layouts_from_text(text.encode("latin-1"))


@given(st.binary(max_size=200))
def test_any_bytes_are_layouts_or_an_error(data):
    with contextlib.suppress(LayoutFormError):
        layouts_from_text(data)


def test_a_missing_file_says_so(tmp_path):
    with pytest.raises(LayoutFormError, match="cannot be opened"):
        layouts_from_file(tmp_path / "none.json")


def test_equal_layouts_give_the_same_document():
    """Values that equal their default, but are other objects, are left out as well."""
    plain = new_field("a", at("B0"))
    said = msgspec.structs.replace(
        plain, ratio=Fraction("1.0"), offset=Fraction(0, 5), unavailable=RawSet([]), names=(), padding="\0" + " "
    )
    layout = new_layout("m", Applies(address=1), 8, [plain])
    other = msgspec.structs.replace(layout, fields=(said,))
    assert layout == other and layout_to_json(layout) == layout_to_json(other)
    assert b"ratio" not in layout_to_json(other)
