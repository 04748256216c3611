"""Printable sheets: what stands on them, well-formed whatever the layout says, nothing off the page."""

from __future__ import annotations

import re
from collections import defaultdict
from fractions import Fraction
from html.parser import HTMLParser
from uuid import uuid4

import msgspec
import pytest
from hypothesis import given, settings
from lxml import etree

from tests.cli.program import run
from tests.strategies import layouts
from zesty_abacus.core.exchange.registry import WRITERS
from zesty_abacus.core.handover.sheet import sheet_of
from zesty_abacus.core.handover.sheet_html import sheets_html
from zesty_abacus.core.handover.sheet_svg import PAGE, sheet_pages, stacked, wrapped
from zesty_abacus.core.layouts.fields import Selected
from zesty_abacus.core.layouts.model import Applies, Computed, Expression, FieldKind, new_field, new_layout
from zesty_abacus.core.layouts.names import parse_names
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.layouts.raw_sets import parse_raw_set
from zesty_abacus.demo.link_layouts import link_layouts
from zesty_abacus.demo.messages import all_messages


def demo(name):
    known = [*link_layouts(), *(message.layout for message in all_messages() if message.layout is not None)]
    return next(layout for layout in known if layout.name == name)


def test_a_page_of_bits_for_each_variant():
    sheet = sheet_of(demo("Pod status"), "of today")
    assert [picture.title for picture in sheet.pictures] == ["oil", "hours", "vibration", "build"]
    oil = sheet.pictures[0].owners
    # B0[3..0] is the selector, B1 and B2 the pressure, B3 the heat
    assert oil[:8] == (-1, -1, -1, -1, 0, 0, 0, 0) and set(oil[8:24]) == {1} and set(oil[24:32]) == {2}
    assert [row.cells[0] for row in sheet.rows][:3] == ["page", "oil pressure", "oil heat"]
    assert sheet.rows[1].cells[-1] == "if page is 0" and "of today" in sheet.lines
    assert sheet.values == (("page", (("0", "oil"), ("1", "hours"), ("2", "vibration"), ("3", "build"))),)


def test_parts_checks_and_registers_are_told():
    beacon = sheet_of(demo("Beacon packet"))
    names = [(row.depth, row.cells[0]) for row in beacon.rows]
    assert (1, "height") in names and (2, "heat") in names
    assert any("CRC" in name or "rule" in name or "counter" in name for name, _ in beacon.checks)
    meter = sheet_of(demo("Shore meter"))
    assert meter.pictures == () and any("input registers of device 1" in line for line in meter.lines)
    assert any(row.cells[1] == "R0" for row in meter.rows) and any(row.cells[1] == "computed" for row in meter.rows)


def test_every_cell_of_a_sheet():
    page = new_field("page", parse_places("B0[7..4]"), FieldKind.NAMES, names=parse_names("0 = oil, 1..2 = water"))
    heat = new_field(
        "heat", parse_places("B2 B1"), FieldKind.SIGNED, ratio=Fraction(1, 20), offset=Fraction(-40), unit="°C",
        low=Fraction(-40), high=Fraction(150), unavailable=parse_raw_set("0x7FFF"),
        selected=Selected(page.id, parse_raw_set("0")), note="at the inlet",
    )  # fmt: skip
    turned = new_field(
        "turned", parse_places("B3"), inverted=True, polynomial=(Fraction(1), Fraction(2)), high=Fraction(9)
    )
    by_table = new_field("level", parse_places("B4"), table=((Fraction(0), Fraction(0)), (Fraction(9), Fraction(4))),
                         errors=parse_raw_set("254"), low=Fraction(0))  # fmt: skip
    twice = Computed(
        id=uuid4(), name="twice", expression=Expression("heat * 2"), unit="K", high=Fraction(7), note="for fun"
    )
    layout = new_layout(
        "Pump", Applies(address=0x1A0, lanes=("deck",)), 6, [page, heat, turned, by_table], computed=(twice,)
    )
    layout = msgspec.structs.replace(layout, sender="pump", note="a note")
    sheet = sheet_of(layout, "state 4")
    assert (sheet.title, sheet.lines) == (
        "Pump", ("can, 0x1A0, on deck", "6 bytes", "sent by pump", "a note", "state 4")
    )  # fmt: skip
    assert [(row.number, row.depth, row.cells) for row in sheet.rows] == [
        (0, 0, ("page", "B0[7..4]", "named values", "", "", "", "")),
        (1, 0, ("heat", "B2 B1", "signed, low byte first", "0.05, -40", "°C", "-40 to 150",
                "if page is 0; not available at 32767; at the inlet")),
        (2, 0, ("turned", "B3", "unsigned, bits turned, by a polynomial", "", "", "open to 9", "")),
        (3, 0, ("level", "B4", "unsigned, by a table", "", "", "0 to open", "fault at 254")),
        (-1, 0, ("twice", "computed", "heat * 2", "", "K", "open to 7", "for fun")),
    ]  # fmt: skip
    assert sheet.values == (("page", (("0", "oil"), ("1 to 2", "water"))),)
    free, heat_bits = (-1,) * 8, (1,) * 16
    first = (0,) * 4 + (-1,) * 4
    assert [(one.title, one.owners, one.first) for one in sheet.pictures] == [
        ("oil", first + heat_bits + (2,) * 8 + (3,) * 8 + free, 0),
    ]  # fmt: skip


def test_every_row_is_drawn_on_a_line_with_its_cells_from_left_to_right():
    sheet = sheet_of(demo("Pod status"))
    lines = defaultdict(list)
    for text in etree.fromstring(sheet_pages(sheet)[0].encode()).iter("{*}text"):
        lines[float(text.get("y"))].append((float(text.get("x")), "".join(text.itertext())))
    drawn = [[words for _, words in sorted(line)] for line in lines.values()]
    for row in sheet.rows:
        cells = [cell for cell in row.cells if cell]
        # what does not fit goes on in the line below
        assert [line for line in drawn if len(line) == len(cells)
                and all(cell.startswith(words) for cell, words in zip(cells, line, strict=True))], cells  # fmt: skip


@pytest.mark.parametrize(
    ("size", "parts"), [(32, [(0, 32)]), (33, [(0, 32), (32, 1)]), (64, [(0, 32), (32, 32)]), (65, [])]
)
def test_long_messages_are_pictured_in_columns_and_longer_ones_listed(size, parts):
    layout = new_layout("m", Applies(protocol="serial"), size, [new_field("a", parse_places("B0"))])
    found = sheet_of(layout).pictures
    assert [(one.first, len(one.owners) // 8) for one in found] == parts
    assert not parts or found[0].owners[:9] == (0,) * 8 + (-1,)
    assert sheet_of(msgspec.structs.replace(layout, fields=())).pictures == ()


@given(layouts(max_size=64))
@settings(max_examples=30)
def test_any_layout_gives_whole_pages(layout):
    hostile = msgspec.structs.replace(layout, name='<script>&"', note="x" * 900 + " <b>", sender="]]>")
    sheet = sheet_of(hostile)
    for page in sheet_pages(sheet):
        root = etree.fromstring(page.encode())
        for text in root.iter("{*}text"):
            assert 0 <= float(text.get("x")) < PAGE[0] and 0 < float(text.get("y")) <= PAGE[1]
    html = sheets_html([sheet])
    assert "<script" not in html and "&lt;script&gt;" in html
    HTMLParser().feed(html)


def test_what_lies_in_another_thing_stands_further_in_and_no_letter_is_larger():
    """Fields of an element 1.2 em beside the list, those of a list in it twice that; on pages letters of 8 points."""
    sheet = sheet_of(demo("Beacon packet"))
    steps = [float(one) for one in re.findall(r"padding-left:([0-9.]+)em", sheets_html([sheet]))]
    by_depth = {row.depth: step for row, step in zip(sheet.rows, steps, strict=True)}
    assert by_depth[0] == 0 and by_depth[1] == 1.2 and by_depth[2] == 2.4
    root = [etree.fromstring(page.encode()) for page in sheet_pages(sheet)]
    texts = [text for page in root for text in page.iter("{*}text")]
    for words in ("unsigned", "text"):
        assert {text.get("font-size") for text in texts if "".join(text.itertext()) == words} == {"8"}


def test_pages_are_stacked_and_words_wrapped():
    pages = sheet_pages(sheet_of(demo("Beacon packet")))
    assert len(pages) > 1
    whole = etree.fromstring(stacked(pages).encode())
    assert float(whole.get("height")) == len(pages) * PAGE[1]
    assert wrapped("a bb " + "c" * 30, 60, 10) == ["a bb", "c" * 11, "c" * 11, "c" * 8]


@pytest.mark.parametrize("ending", ["html", "svg", "pdf"])
def test_the_command_line_prints(tmp_path, ending):
    own, library = tmp_path / "own.json", tmp_path / "own.sqlite"
    own.write_bytes(WRITERS["json"][2]([demo("Pod status")]).data)
    run("library", "new", library)
    run("library", "import", library, own)
    code, _, err = run("library", "sheet", library, "-o", tmp_path / f"out.{ending}")
    assert code == 0, err
    data = (tmp_path / f"out.{ending}").read_bytes()
    assert data.startswith({"html": b"<!doctype", "svg": b"<svg", "pdf": b"%PDF"}[ending]) and len(data) > 3000
