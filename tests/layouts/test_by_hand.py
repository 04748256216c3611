"""Layout files as people write them: names in the place of identities, and everything that is wrong told at once."""

import json
from uuid import UUID

import pytest

from tests.cli.program import run
from zesty_abacus.core.layouts.json_form import LayoutFormError, layouts_from_text, layouts_to_file_text
from zesty_abacus.core.layouts.model import Carried, Elements, Group, TextLine
from zesty_abacus.core.layouts.validate import check_layout, problems_inside


def file_of(*layouts, **head):
    return json.dumps({"format": "zesty-abacus layouts", "version": 2, "layouts": list(layouts)} | head).encode()


METER = {
    "name": "Meter", "applies": {"protocol": "serial"}, "size": 4,
    "fields": [
        {"name": "page", "places": "B0"},
        {"name": "heat", "places": "B1", "selected": {"field": "page", "values": "1"}},
        {"name": "speed", "places": "B1", "selected": {"field": "page", "values": "2..3"}},
        {"name": "turns", "places": "B2"}, {"name": "check", "places": "B3"},
    ],
    "parts": [
        {"part": "group", "name": "cells", "size": 1, "repeat": "to-end", "fields": [{"name": "cell", "places": "B0"}],
         "selected": {"field": "page", "values": "9"}},
        {"part": "text-line", "name": "line", "columns": [{"name": "a"}, {"name": ""}, {"name": ""}, {"name": "b"}]},
        {"part": "elements", "name": "list", "head": 2, "type": {"name": "type", "places": "B0"},
         "length": {"name": "length", "places": "B1"},
         "cases": [{"name": "one", "types": "1", "fields": [{"name": "inner", "places": "B0"}]}]},
    ],
    "checks": [
        {"check": "sum", "name": "sum", "field": "check", "coverage": {"end": "3"}},
        {"check": "counter", "name": "counts", "field": "turns", "per": ["page"]},
        {"check": "pair", "name": "answered", "answer": "Answer", "match": [{"field": "turns", "theirs": "number"}]},
    ],
    "computed": [{"name": "double", "expression": "turns * 2"}],
}  # fmt: skip
FRAME = {
    "name": "Frame", "applies": {"protocol": "serial"}, "size": 1, "fields": [{"name": "kind", "places": "B0"}],
    "parts": [{"part": "carried", "name": "meter", "layout": "Meter"}],
}  # fmt: skip


def test_names_stand_for_what_they_name():
    meter, frame = layouts_from_text(file_of(METER, FRAME))
    by_name = {field.name: field for field in meter.all_fields() if field.name}
    assert by_name["heat"].selected.field == by_name["page"].id == meter.parts[0].selected.field
    total, counts, answered = meter.checks
    assert total.field == by_name["check"].id and counts.field == by_name["turns"].id
    assert counts.per == (by_name["page"].id,) and answered.match[0].field == by_name["turns"].id
    assert [type(part) for part in meter.parts] == [Group, TextLine, Elements]
    assert isinstance(frame.parts[0], Carried) and frame.parts[0].layout == meter.id
    assert check_layout(meter) == []


def test_identities_that_are_made_are_the_same_every_time_and_none_is_used_twice():
    first, again = layouts_from_text(file_of(METER, FRAME)), layouts_from_text(file_of(FRAME, METER))
    assert first == list(reversed(again))
    meter = first[0]
    ids = [item.id for item in (*meter.all_fields(), *meter.parts, *meter.checks, *meter.computed)]
    assert len(set(ids)) == len(ids) and meter.id not in ids
    assert layouts_from_text(layouts_to_file_text(first).encode()) == first, "what leaves has its identities"


def test_identities_that_are_given_stay():
    given = "8b62f8e7-4fda-4996-a3fe-9b24ef3b1c78"
    fields = [{"id": given, "name": "page", "places": "B0"}, *METER["fields"][1:]]
    (meter,) = layouts_from_text(file_of(METER | {"fields": fields}))
    assert meter.fields[0].id == UUID(given) == meter.fields[1].selected.field


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"checks": [{"check": "sum", "name": "s", "field": "chekc"}]},
         "Meter: no field is called chekc. Did you mean check?"),
        ({"parts": [{"part": "carried", "name": "x", "layout": "Nobody"}]}, "no layout of this file is called"),
        ({"fields": [{"name": "a", "places": "B0"}, {"name": "a", "places": "B1"}], "parts": [],
          "checks": [{"check": "sum", "name": "s", "field": "a"}]}, "a"),
    ],
)  # fmt: skip
def test_a_name_that_stands_for_nothing_is_told(changes, words):
    with pytest.raises(LayoutFormError) as caught:
        found = layouts_from_text(file_of(METER | changes))
        raise LayoutFormError(" ".join(problems_inside(found)))
    assert words in str(caught.value)


def test_everything_that_is_wrong_is_told_at_once_with_message_and_field():
    bad = METER | {
        "size": "four",
        "fields": [{"name": "page", "places": "B0"}, {"name": "heat", "places": "B9999999"},
                   {"name": "speed", "places": "B1", "kind": "flout"}, {"name": "turns", "ratio": "x", "places": "B2"},
                   {"name": "check", "places": "B3"}],
        "checks": [{"check": "crc", "name": "crc", "field": "check", "width": 8}],
        "parts": [{"part": "heap", "name": "h"}],
    }  # fmt: skip
    other = {"name": "Other", "applies": {"protocol": "serial"}, "size": 1, "surprise": 1}
    with pytest.raises(LayoutFormError) as caught:
        layouts_from_text(file_of(bad, other), where="boat.json")
    text = str(caught.value)
    first, *each = text.splitlines()
    assert first == "boat.json: these are no layouts, 7 things are wrong."
    for line, words in zip(each, (
        'Meter, size: it is a whole number, not "four"',
        "Meter, heat, places: ",
        'Meter, speed, kind: "flout" means nothing. Did you mean float?',
        "Meter, turns, ratio: ",
        'Meter, h, part: "heap" means nothing. There is carried, ',
        "Meter, crc: polynomial is missing",
        "Other: nothing is called surprise here. There is ",
    ), strict=True):  # fmt: skip
        assert line.strip().startswith(words), text


def test_one_identity_for_two_layouts_is_refused():
    (meter,) = layouts_from_text(file_of(METER))
    twice = layouts_to_file_text([meter, meter])
    with pytest.raises(LayoutFormError, match="Meter has the identity of Meter"):
        layouts_from_text(twice.encode())


def test_the_command_tells_all_problems_and_names_that_stand_twice(tmp_path):
    library, file = tmp_path / "team.sqlite", tmp_path / "boat.json"
    assert run("library", "new", library)[0] == 0
    wrong = METER | {"size": 3, "fields": [*METER["fields"], {"name": "far", "places": "B7"}]}
    file.write_bytes(file_of(wrong, FRAME))
    code, _, err = run("library", "import", library, file)
    assert code == 1 and "2 things are wrong" in err and "Meter, far: " in err and "Meter, check: " in err
    assert "Nothing was brought in" in err
    file.write_bytes(file_of(METER, FRAME, {"id": str(UUID(int=7)), **FRAME}))
    code, out, err = run("library", "import", library, file)
    assert code == 0 and "3 layouts, 3 new or changed" in out and "Frame: several layouts have this name" in err
    code, out, _ = run("library", "import", library, file)
    assert "3 layouts, 0 new or changed" in out
    file.write_bytes(file_of(METER))
    assert f"{file.name}: 1 layout, " in run("library", "import", library, file)[1]


@pytest.mark.parametrize(
    ("applies", "meant"),
    [
        ({"address": "0x210"}, (0x210, None, None, False)),
        ({"address": "18FEF100"}, (0x18FEF100, None, None, True)),
        ({"address": "0x100..0x1FF"}, (0x100, 0x1FF, None, False)),
        ({"address": "0x100 & 0x7F0"}, (0x100, None, 0x7F0, False)),
        ({"protocol": "modbus", "address": "1/3/100"}, (1 << 24 | 3 << 16 | 100, None, None, False)),
        ({"protocol": "sentence", "address": "YZ"}, (0x595A, None, None, False)),
        ({"address": 528}, (528, None, None, False)),
    ],
)
def test_an_address_may_be_written_as_people_write_it(applies, meant):
    (layout,) = layouts_from_text(file_of(METER | {"applies": applies}))
    read = layout.applies
    assert (read.address, read.to, read.mask, read.extended) == meant
    (again,) = layouts_from_text(layouts_to_file_text([layout]).encode())
    assert again == layout


def test_an_address_that_is_none_is_told_beside_all_else():
    with pytest.raises(LayoutFormError) as caught:
        layouts_from_text(file_of(METER | {"applies": {"address": "0xGG"}, "size": "x"}))
    first, second = caught.value.details
    assert first.startswith("Meter, applies, address: ") and "0xGG" in first and second.startswith("Meter, size: ")


def test_a_file_that_does_not_say_its_form_is_told_how_to_begin(tmp_path):
    path, library = tmp_path / "own.json", tmp_path / "own.sqlite"
    path.write_text(json.dumps({"version": 2, "layouts": [METER]}))
    run("library", "new", library)
    code, _, error = run("library", "import", library, path)
    assert code == 1 and error == (
        f"zesty-abacus: {path}: it has layouts, and does not say in which form. "
        'Begin it with "format": "zesty-abacus layouts", "version": 2.\n'
    )
    path.write_text(json.dumps({"format": "zesty-abacus layouts", "version": 2, "layouts": [METER]}))
    assert run("library", "import", library, path)[0] == 0
