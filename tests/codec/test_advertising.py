"""Advertisements of Bluetooth LE, byte for byte as their specification lays them out (5.4, volume 3, part C, 11)."""

from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.handover.long_table import long_table
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.layouts.templates import TEMPLATES
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.reading.meaning import Meaning

(ADVERTISING,) = (one for one in TEMPLATES if one.name.startswith("Advertising structures"))
LAYOUT = ADVERTISING.add(new_layout("Beacon", Applies(protocol="serial"), 0))
PAYLOAD = bytes.fromhex("020106050954756768020AF406FFFFFF01A0B0")
STRUCTURES = [
    ["flags", {"modes": 6}],
    [9, {"local name": "Tugh"}],
    ["power", {"sent with": -12}],
    ["maker", {"company": 0xFFFF, "of the maker": "01 A0 B0"}],
]


def test_what_is_dropped_in_is_valid():
    assert check_layout(LAYOUT) == []


def test_an_advertisement_is_wrapped():
    assert encode_message(LAYOUT, {"structures": STRUCTURES}).payload == PAYLOAD


def test_an_advertisement_is_read():
    batch = Batch()
    batch.add(0, PAYLOAD)
    meaning = Meaning.of(Capture.from_table(batch.table(), [Lane("air", "serial")]), [LAYOUT])
    rows = [row for block in long_table(meaning) for row in block.table().to_pylist()]
    said = {row["field"].rpartition(".")[2]: row for row in rows}
    assert said["modes"]["label"] == "general discoverable, no classic Bluetooth"
    assert said["sent with"]["value"] == -12
    assert said["company"]["raw"] == 0xFFFF
    assert {row["label"] for row in rows} >= {"Tugh", "01 A0 B0"}
    assert {row["valid"] for row in rows} == {"good"}


def test_both_forms_of_the_local_name_are_one_field():
    """Assigned numbers, 2.3: 0x08 is the shortened local name, 0x09 the complete one."""
    for kind in (0x08, 0x09):
        batch = Batch()
        batch.add(0, bytes([5, kind]) + b"Tugh")
        meaning = Meaning.of(Capture.from_table(batch.table(), [Lane("air", "serial")]), [LAYOUT])
        rows = [row for block in long_table(meaning) for row in block.table().to_pylist()]
        assert "Tugh" in {row["label"] for row in rows}, kind
