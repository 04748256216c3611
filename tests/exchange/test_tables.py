"""Tables as different people write them, their numbering found by example, and our own out and in again."""

from __future__ import annotations

import codecs
import io
import json
import random
import zipfile
from fractions import Fraction
from uuid import uuid4

import msgspec
import openpyxl
import pytest
from hypothesis import given, settings

from tests.cli.program import run
from tests.strategies import layouts
from zesty_abacus.core.errors import AbacusError, MisuseError
from zesty_abacus.core.exchange.layout_tables import layouts_of_table
from zesty_abacus.core.exchange.mapping_shelf import MappingShelf, mapping_from_file, mapping_text
from zesty_abacus.core.exchange.registry import TABLE, WRITERS, open_table, read_layout_file
from zesty_abacus.core.exchange.result import Exchanged, ExchangeError
from zesty_abacus.core.exchange.sheets import Sheet, read_sheets, write_csv
from zesty_abacus.core.exchange.table_mapping import Known, guess_mapping, mapping_by_example, trouble_of
from zesty_abacus.core.exchange.table_write import rows_of_layouts
from zesty_abacus.core.exchange.workbooks import write_workbook
from zesty_abacus.core.layouts.model import Expression, FieldKind, Rule
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.layouts.raw_sets import RawSet, parse_raw_set
from zesty_abacus.core.library.store import Library

WINCH = """Message;ID (hex);DLC;Signal;Start bit;Length;Byte order;Type;Factor;Offset;Unit;Min;Max;Values;Comment
Winch pull;1C0;8;pull;7;16;BE;int16;0,5;0;kN;-50;800;;at the drum
;;;speed;16;12;LE;uint;0,01;-10;m/s;;;;
;;;brake;28;1;LE;bool;;;;;;0=open, 1=set;
;;;mode;29;3;LE;enum;;;;;;0 off | 1 haul | 2..3 veer;
Winch heat;1C1;2;oil;7;8;BE;uint8;1;-40;°C;;;;
;;;;;;;;;;;;;;a remark without a field
;;;broken;x;8;LE;uint8;1;0;;;;;
"""


def sheet_of(text):
    return read_sheets(text.encode(), "winch.csv")[0]


def by_example(sheet):
    known = [Known(0, parse_places("B0 B1")), Known(1, parse_places("B3[3..0] B2"))]
    return mapping_by_example(sheet, guess_mapping(sheet), known)


def test_headings_say_what_most_columns_are():
    mapping = guess_mapping(sheet_of(WINCH))
    assert mapping.roles == (
        "message", "address", "size", "field", "start bit", "width", "byte order", "kind", "step", "offset", "unit",
        "low limit", "high limit", "values", "note",
    )  # fmt: skip
    assert mapping.hex_addresses


def test_the_numbering_follows_from_two_rows():
    sheet = sheet_of(WINCH)
    found = by_example(sheet)
    # all ways that remain mean the same for every row
    for mapping in found:
        read = layouts_of_table(sheet, mapping, "winch.csv")
        pull, heat = read.layouts
        assert [(f.name, str(f.places), f.kind) for f in pull.fields] == [
            ("pull", "B0 B1", FieldKind.SIGNED), ("speed", "B3[3..0] B2", FieldKind.UNSIGNED),
            ("brake", "B3[4]", FieldKind.FLAG), ("mode", "B3[7..5]", FieldKind.NAMES),
        ]  # fmt: skip
        assert str(heat.fields[0].places) == "B0" and heat.size == 2 and heat.applies.address == 0x1C1
    assert pull.fields[0].ratio * 2 == 1 and pull.fields[0].low == -50 and pull.fields[1].offset == -10
    assert [(n.raw, n.to, n.label) for n in pull.fields[3].names] == [
        (0, None, "off"),
        (1, None, "haul"),
        (2, 3, "veer"),
    ]
    assert [(left.place, "x" in left.reason) for left in read.left] == [("line 8, broken", True)]


def test_words_for_the_byte_order_are_learned():
    sheet = sheet_of(WINCH.replace("BE", "A").replace("LE", "B"))
    mapping = by_example(sheet)[0]
    assert mapping.low_first_words == ("b",)
    assert str(layouts_of_table(sheet, mapping, "").layouts[0].fields[1].places) == "B3[3..0] B2"


def test_examples_that_nothing_gives_are_told():
    sheet = sheet_of(WINCH)
    with pytest.raises(MisuseError, match="no way of numbering"):
        mapping_by_example(sheet, guess_mapping(sheet), [Known(0, parse_places("B5 B3"))])


def test_fewest_overlaps_come_first():
    text = "message,field,start bit,width\nm,a,1,8\nm,b,9,8\nm,c,17,4\n"
    sheet = sheet_of(text)
    found = mapping_by_example(sheet, guess_mapping(sheet), [Known(0, parse_places("B0"))])
    assert trouble_of(sheet, found[0]) == 0
    assert found[0].numbering.first_bit == 1


def test_bytes_and_bits_in_columns_of_their_own():
    text = "message,address,field,byte,bit,bits\nm,0x12,a,1,5,4\nm,0x12,b,2,1,16\nm,0x12,c,4,,8\n"
    sheet = sheet_of(text)
    mapping = guess_mapping(sheet)
    assert mapping.roles == ("message", "address", "field", "byte", "start bit", "width")
    best = mapping_by_example(sheet, mapping, [Known(0, parse_places("B0[7..4]")), Known(1, parse_places("B2 B1"))])[0]
    layout = layouts_of_table(sheet, best, "").layouts[0]
    assert [str(field.places) for field in layout.fields] == ["B0[7..4]", "B2 B1", "B3"]


def test_spans_of_bits_and_end_bits():
    sheet = sheet_of("message,field,byte,bits\nm,a,0,7..4\nm,b,0,3-0\nm,c,1,7:0\n")
    mapping = guess_mapping(sheet)
    roles = ("message", "field", "byte", "start bit")
    layout = layouts_of_table(sheet, msgspec.structs.replace(mapping, roles=roles), "").layouts[0]
    assert [str(field.places) for field in layout.fields] == ["B0[7..4]", "B0[3..0]", "B1"]
    ends = sheet_of("message,field,start bit,end bit\nm,a,0,7\nm,b,8,19\n")
    layout = layouts_of_table(ends, guess_mapping(ends), "").layouts[0]
    assert [str(field.places) for field in layout.fields] == ["B0", "B2[3..0] B1"]


def field_from(**cells):
    """Return the only field of a table whose row says this besides its name and place, or why there is none."""
    row = {"message": "m", "address": "0x12", "size": "8", "field": "f", "places": "B0", **cells}
    head, body = (",".join(f'"{text}"' for text in texts) for texts in (row, row.values()))
    sheet = sheet_of(f"{head}\n{body}\n")
    mapping = guess_mapping(sheet)
    assert "ignore" not in mapping.roles, mapping.roles
    found = layouts_of_table(sheet, mapping, "")
    return found.layouts[0].fields[0] if found.layouts and found.layouts[0].fields else found.left[0].reason


@pytest.mark.parametrize(
    ("cells", "kind"),
    [
        ({}, "unsigned"), ({"kind": "uint8"}, "unsigned"), ({"kind": "int 16 bits"}, "signed"),
        ({"kind": "Signed"}, "signed"),
        ({"kind": "float", "places": "B0..B3"}, "float"), ({"kind": "text"}, "text"), ({"kind": "bytes"}, "bytes"),
        ({"kind": "flag", "places": "B0[3]"}, "flag"), ({"kind": "bool", "places": "B0[3..2]"}, "unsigned"),
        # values make names of a number, and there are none without them
        ({"values": "0=off, 1=on"}, "names"), ({"kind": "uint8", "values": "0=off"}, "names"),
        ({"kind": "signed", "values": "0=off"}, "signed"), ({"kind": "names"}, "unsigned"),
    ],
)  # fmt: skip
def test_kinds_in_the_words_of_others(cells, kind):
    assert field_from(**cells).kind is FieldKind(kind)


def test_a_kind_that_nobody_knows_is_told_with_those_that_are():
    assert field_from(kind="quaternion").startswith("the kind 'quaternion' is not known.")


@pytest.mark.parametrize(
    ("cells", "attribute", "value"),
    [
        ({"unit": "-"}, "unit", ""), ({"unit": "kN"}, "unit", "kN"), ({"unit": "kN", "kind": "text"}, "unit", ""),
        ({"step": "0,5"}, "ratio", Fraction(1, 2)), ({"step": ""}, "ratio", 1), ({"step": "0"}, "ratio", 1),
        ({"step": "2", "kind": "text"}, "ratio", 1), ({"offset": "-4"}, "offset", -4), ({"offset": ""}, "offset", 0),
        ({"low limit": "1"}, "low", 1), ({"low limit": ""}, "low", None),
        ({"high limit": "7.5"}, "high", Fraction(15, 2)),
        ({"high limit": "7", "kind": "bytes"}, "high", None), ({"note": "by hand"}, "note", "by hand"),
        ({"not available": "255"}, "unavailable", parse_raw_set("255")),
        ({"not available": ""}, "unavailable", RawSet()),
        ({"not available": "255", "kind": "text"}, "unavailable", RawSet()),
        ({"values": "0=off", "kind": "float", "places": "B0..B3"}, "names", ()),
    ],
)  # fmt: skip
def test_each_cell_is_an_attribute(cells, attribute, value):
    assert getattr(field_from(**cells), attribute) == value


def test_a_workbook_reads_as_its_text_does(tmp_path):
    book = openpyxl.Workbook()
    book.active.append(["nothing", "here"])
    rows = [line.split(";") for line in WINCH.splitlines()]
    second = book.create_sheet("Signals")
    for row in rows:
        second.append([int(cell) if cell.isdigit() and cell != "1C0" else cell or None for cell in row])
    path = tmp_path / "winch.xlsx"
    book.save(path)
    sheet, mapping = open_table(path)
    assert sheet.name == "Signals"
    text = layouts_of_table(sheet_of(WINCH), by_example(sheet_of(WINCH))[0], "")
    found = layouts_of_table(sheet, by_example(sheet)[0], "")
    assert found.layouts == text.layouts and mapping.roles == guess_mapping(sheet_of(WINCH)).roles


@given(layouts(max_size=16))
@settings(max_examples=40)
def test_our_own_table_comes_back(layout):
    left = Exchanged()
    rows = rows_of_layouts([layout], left)
    for data in (write_csv(rows), write_workbook("Layouts", rows)):
        sheet = read_sheets(data, "own")[0]
        found = layouts_of_table(sheet, guess_mapping(sheet), "own")
        (again,) = found.layouts
        assert found.left == []
        assert {f.id: f for f in again.fields} == {f.id: f for f in layout.fields}
        assert (again.id, again.applies, again.size) == (layout.id, layout.applies, layout.size)


def test_bombs_and_broken_workbooks_are_refused():
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/workbook.xml", b"\0" * (300 << 20))
    with pytest.raises(ExchangeError, match="unpacks to more"):
        read_sheets(packed.getvalue(), "bomb.xlsx")
    entity = io.BytesIO()
    with zipfile.ZipFile(entity, "w") as archive:
        archive.writestr("xl/workbook.xml", b'<!DOCTYPE x [<!ENTITY a "b">]><x>&a;</x>')
    with pytest.raises(ExchangeError, match="declares entities"):
        read_sheets(entity.getvalue(), "entity.xlsx")
    good = write_workbook("a", [["field"], ["x"]])
    dice = random.Random(3)
    for _ in range(60):
        broken = bytearray(good)
        for _ in range(8):
            broken[dice.randrange(len(broken))] = dice.randrange(256)
        try:
            read_sheets(bytes(broken), "broken.xlsx")
        except AbacusError as error:
            assert "broken.xlsx" in str(error)


@pytest.mark.parametrize(
    ("text", "words"),
    [("", "empty"), ("a,b\n1,2\n", "field's name"), ("field,start\n\n", "gives a field"), ("x\0y,z\n", "zero bytes")],
)
def test_tables_that_are_none_say_so(tmp_path, text, words):
    path = tmp_path / "some.csv"
    path.write_text(text)
    with pytest.raises(ExchangeError, match=words):
        read_layout_file(path)


def test_formulas_stay_text():
    assert b"'=1+1" in write_csv([["field"], ["=1+1"]])
    assert read_sheets(write_csv([["field"], ["=1+1"]]), "")[0].rows[1] == ["=1+1"]
    book = openpyxl.load_workbook(io.BytesIO(write_workbook("x", [["field"], ["=1+1"]])))
    assert book.active["A2"].data_type == "s"


def test_columns_are_remembered_by_their_headings(tmp_path):
    shelf = MappingShelf(tmp_path / "some" / "columns.json")
    mapping = by_example(sheet_of(WINCH))[0]
    assert shelf.find(mapping.headings) is None
    shelf.keep(mapping)
    assert MappingShelf(tmp_path / "some" / "columns.json").find(mapping.headings) == mapping
    (tmp_path / "some" / "columns.json").write_text("{")
    assert shelf.find(mapping.headings) is None
    (tmp_path / "map.json").write_text(mapping_text(mapping))
    assert mapping_from_file(tmp_path / "map.json") == mapping
    (tmp_path / "map.json").write_text(json.dumps({"headings": [], "roles": []}))
    with pytest.raises(AbacusError):
        mapping_from_file(tmp_path / "map.json")


def test_the_command_line_learns_columns_and_keeps_what_a_table_cannot_say(tmp_path):
    """Take the demo's library out as a table, change one cell, bring it back: checks and parts are still there."""
    table, columns, library = tmp_path / "winch.csv", tmp_path / "columns.json", tmp_path / "own.sqlite"
    table.write_text(WINCH)
    run("library", "new", library)
    code, _, err = run("library", "columns", table, "--example", "1:B0 B1", "--example", "2:B3[3..0] B2", "-o", columns)
    assert code == 0 and "highest" in err
    code, out, err = run("library", "import", library, table, "--columns", columns)
    assert code == 0 and "2 layouts, 2 new" in out and "line 8, broken" in err
    assert "0 new or changed" in run("library", "import", library, table, "--columns", columns)[1]
    # a check is added by hand, the paper gets a new limit
    store = Library.open(library)
    head = next(one for one in store.layouts.heads() if one.state.name == "Winch pull")
    checked = head.state.with_item(Rule(id=uuid4(), name="length", expression=Expression("size == 8")))
    store.layouts.commit(checked, parent=head.revision.id, author="a", reason="count")
    store.close()
    table.write_text(WINCH.replace(";-50;800;", ";-50;900;"))
    assert "1 new or changed" in run("library", "import", library, table, "--columns", columns)[1]
    store = Library.open(library)
    after = next(one for one in store.layouts.states() if one.name == "Winch pull")
    store.close()
    assert after.field_named("pull").high == 900 and len(after.checks) == 1
    assert run("library", "export", library, "--to", "csv", "-o", tmp_path / "out.csv")[0] == 0
    name, back = read_layout_file(tmp_path / "out.csv")
    assert name == TABLE and len(back.layouts) == 2 and set(WRITERS) >= {"csv", "xlsx", "xtce", "autosar"}


def test_a_sheet_keeps_the_numbers_of_its_lines():
    sheet = Sheet("", [["a"], [""], ["b"]])
    assert sheet.lines == [1, 3] and sheet.rows == [["a"], ["b"]]


@pytest.mark.parametrize("encoding", ["utf-16", "utf-16-be", "utf-8-sig", "cp1252"])
def test_tables_are_read_in_whatever_encoding_spreadsheets_write(tmp_path, encoding):
    text = "message\taddress\tfield\tplaces\tunit\nWinch\t0x1A0\tKühlung\tB0 B1\t°C\n"
    data = text.encode(encoding)
    (tmp_path / "a.txt").write_bytes(codecs.BOM_UTF16_BE + data if encoding == "utf-16-be" else data)
    _, found = read_layout_file(tmp_path / "a.txt")
    (field,) = found.layouts[0].fields
    assert (field.name, field.unit, str(field.places)) == ("Kühlung", "°C", "B0 B1")


def test_a_table_has_up_to_two_hundred_thousand_rows():
    data = b"a\n" * 200_000
    assert len(read_sheets(data, "long.csv")[0].rows) == 200_000
    with pytest.raises(ExchangeError, match=r"the table has more than 200.?000 rows\."):
        read_sheets(data + b"a\n", "long.csv")


def test_of_a_row_256_cells_are_read():
    (row,) = read_sheets(",".join(str(number) for number in range(300)).encode(), "wide.csv")[0].rows
    assert row[-1] == "255"
