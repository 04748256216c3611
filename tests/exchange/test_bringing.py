"""A layout file of somebody, read for a look: what it gives, what keeping it would change, how far it is."""

import msgspec
import pytest

from zesty_abacus.core.exchange.bringing import bring_in_layouts, open_layout_table
from zesty_abacus.core.exchange.mapping_shelf import MappingShelf
from zesty_abacus.core.exchange.registry import WRITERS
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.progress import Cancelled, Progress

PUMP = new_layout("Pump", Applies(address=0x1A0), 2, [new_field("speed", parse_places("B1 B0"))])
TABLE = "message;id;field;bits\nPump;1A0;speed;0-15\n"


@pytest.fixture
def file(tmp_path):
    path = tmp_path / "layouts.json"
    path.write_bytes(WRITERS["json"][2]([PUMP]).data)
    return path


def steps():
    heard = []
    return heard, Progress(lambda share, note: heard.append((share, note)))


def test_what_keeping_each_would_change_is_said(file):
    known = msgspec.structs.replace(PUMP, name="Bilge pump")
    for library, standing in (([], "new, 0x1A0, 1 field"), ([PUMP], ""), ([known], "name")):
        brought = bring_in_layouts(file, library, None, Progress())
        assert (brought.path, brought.form, brought.left, brought.trouble) == (
            file, "zesty-abacus layouts", (), 0,
        )  # fmt: skip
        assert [one.name for one in brought.layouts] == ["Pump"]
        assert standing in brought.standings[0] and bool(standing) == bool(brought.standings[0])


def test_it_says_how_far_it_is_and_stops_when_it_is_asked_to(file):
    heard, progress = steps()
    bring_in_layouts(file, [], None, progress)
    assert heard == [(0.1, "reading layouts.json"), (0.7, "comparing with the library")]
    progress.cancel()
    with pytest.raises(Cancelled):
        bring_in_layouts(file, [], None, progress)
    assert len(heard) == 2, "it stops before it says anything"


def test_it_stops_before_it_compares(file):
    progress = Progress(lambda share, note: progress.cancel())
    with pytest.raises(Cancelled):
        bring_in_layouts(file, [], None, progress)


def test_a_table_says_how_far_it_is_and_has_its_columns_of_the_last_time(tmp_path):
    path, shelf = tmp_path / "layouts.csv", MappingShelf(tmp_path / "home" / "mappings.json")
    path.write_text(TABLE)
    heard, progress = steps()
    opened = open_layout_table(path, shelf, progress)
    assert heard == [(0.1, "reading layouts.csv")] and opened is not None
    assert opened.mapping.headings == ("message", "id", "field", "bits")
    shelf.keep(other := msgspec.structs.replace(opened.mapping, low_byte_first=False))
    assert open_layout_table(path, shelf, Progress()).mapping == other
    progress.cancel()
    with pytest.raises(Cancelled):
        open_layout_table(path, shelf, progress)


def test_what_is_no_table_is_none(file, tmp_path):
    assert open_layout_table(file, MappingShelf(tmp_path / "none.json"), Progress()) is None
