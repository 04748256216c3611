"""Telegrams of several types on one line: a type in front says what they hold, and so how long they are."""

import numpy as np
import pytest

from tests.unravel.made import put, slow
from tests.unravel.test_varying import capture_of, crc
from zesty_abacus.core.codec.columns import CheckState
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.keeping import all_kept
from zesty_abacus.core.unravel.look import unravel
from zesty_abacus.core.unravel.witness import witness
from zesty_abacus.core.values.reference import ReferenceColumn

TYPES = {0x11: [("B5 B4", 300, 5000)], 0x12: [("B4", 10, 240), ("B7 B6", 9000, 60000)], 0x20: []}
SIZES = {0x11: 6, 0x12: 8, 0x20: 4}
TURN = [0x11, 0x12, 0x11, 0x11, 0x20, 0x12]


def telegrams(*, with_length=True, rounds=150):
    """Return 0xAA, length, type, number, data and a CRC-16; the type says what the data are."""
    turn = np.array(TURN * rounds)
    pages = {}
    for number, (kind, fields) in enumerate(TYPES.items()):
        own = np.zeros((int((turn == kind).sum()), SIZES[kind]), np.uint8)
        for place, (places, low, high) in enumerate(fields):
            put(own, places, slow(len(own), seed=7 * number + place, low=low, high=high))
        pages[kind] = iter(own)
    payloads = []
    for number, kind in enumerate(turn.tolist()):
        data = next(pages[kind])
        data[:4] = 0xAA, SIZES[kind] + 2 if with_length else 0x00, kind, number % 256
        payloads.append(bytes(data) + crc(bytes(data), 16, 0x8005, 0xFFFF, 0, True).to_bytes(2, "little"))
    return payloads


@pytest.mark.parametrize("with_length", [True, False])
def test_each_type_is_told_by_itself(with_length):
    (of_kind,) = unravel(Meaning.of(capture_of(telegrams(with_length=with_length)), []), None).kinds
    found = {(one.kind, one.places, one.when[0].values if one.when else "") for one in of_kind.findings}
    assert {("selector", "B2", ""), ("counter", "B3", ""), ("check", "B-1 B-2", "")} <= found
    assert (("length", "B1", "") in found) == with_length
    fields = {one for one in found if one[0] == "field"}
    # the number's upper byte never reaches its highest bits
    assert {("field", "B4", "18"), ("field", "B7 B6", "18")} <= fields
    assert any(values == "17" and places.endswith("B4") for _, places, values in fields)
    assert not any(values == "32" for _, _, values in fields)
    selector = next(one for one in of_kind.findings if one.kind == "selector")
    assert selector.parameters["values"] == [0x11, 0x12, 0x20] and selector.frames == 900
    assert "17 has 8 bytes" in selector.reason


def test_what_is_kept_of_it_reads_every_type():
    payloads = telegrams()
    (of_kind,) = unravel(Meaning.of(capture_of(payloads), []), None).kinds
    layout = new_layout("Telegram", Applies(address=0x100), max(map(len, payloads)))
    layout, _ = all_kept(layout, of_kind.findings, 0.8)
    assert check_layout(layout) == []
    width = max(map(len, payloads))
    matrix = np.array([list(one.ljust(width, b"\0")) for one in payloads], np.uint8)
    sizes = np.array([len(one) for one in payloads], np.uint32)
    decoded = decode(compile_layout(layout, {}), matrix, sizes)
    crcs = [one for one in layout.checks if one.__struct_config__.tag == "crc"]
    assert len(crcs) == 1 and (decoded.checks[crcs[0].id].state == CheckState.AGREES).all()
    heat = next(field for field in layout.fields if str(field.places) == "B4" and field.selected is not None)
    there = decoded.columns[heat.id].has_value
    assert there.tolist() == [payload[2] == 0x12 for payload in payloads]


def test_a_few_frames_that_were_cut_short_hide_nothing():
    payloads = telegrams(rounds=300)
    payloads[77] = payloads[77][:2]
    (of_kind,) = unravel(Meaning.of(capture_of(payloads), []), None).kinds
    assert any(one.kind == "selector" and one.places == "B2" for one in of_kind.findings)


def test_lengths_that_follow_nothing_have_no_types():
    random = np.random.default_rng(2)
    payloads = [bytes(random.integers(0, 6, int(random.integers(4, 9)), dtype=np.uint8)) for _ in range(400)]
    (of_kind,) = unravel(Meaning.of(capture_of(payloads), []), None).kinds
    assert not any(one.kind == "selector" for one in of_kind.findings)


def test_what_a_type_holds_is_found_to_follow_a_reference():
    payloads = telegrams(rounds=300)
    capture = capture_of(payloads)
    times = np.arange(len(payloads), dtype=np.int64) * 10_000_000
    heat = np.array([payload[4] if payload[2] == 0x12 else -1 for payload in payloads])
    there = heat >= 0
    column = ReferenceColumn("bridge.csv", "heat", "K", times[there], heat[there] * 0.5 + 250)
    (of_kind,) = unravel(Meaning.of(capture, []), None, [column]).kinds
    found = next(one for one in of_kind.findings if one.kind == "reference")
    assert (found.places, found.when[0].values) == ("B4", "18")
    assert found.parameters["gain"] == pytest.approx(0.5, rel=0.01)


def test_the_frame_that_is_shown_is_one_of_its_type():
    payloads = telegrams()
    payloads[3] = payloads[3][:-1] + bytes([payloads[3][-1] ^ 1])
    meaning = Meaning.of(capture_of(payloads), [])
    (of_kind,) = unravel(meaning, None).kinds
    heat = next(one for one in of_kind.findings if one.kind == "field" and one.places == "B4")
    assert payloads[witness(meaning, 0, heat).speaks.row][2] == 0x12
    check = next(one for one in of_kind.findings if one.kind == "check")
    seen = witness(meaning, 0, check)
    assert seen.speaks.row == 0 and seen.against.row == 3


def test_what_is_kept_of_types_is_not_said_again():
    capture = capture_of(telegrams())
    (of_kind,) = unravel(Meaning.of(capture, []), None).kinds
    layout, _ = all_kept(new_layout("Telegram", Applies(address=0x100), 10), of_kind.findings, 0.8)
    (again,) = unravel(Meaning.of(capture, [layout]), None).kinds
    assert {one.kind for one in again.findings} <= {"constant", "period"}


def test_a_layout_that_is_too_short_grows_with_what_is_kept():
    payloads = [bytes([number % 256, 1, 2, 3, number // 4 % 256, 9]) for number in range(400)]
    (of_kind,) = unravel(Meaning.of(capture_of(payloads), []), None).kinds
    layout, count = all_kept(new_layout("Short", Applies(address=0x100), 2), of_kind.findings, 0.8)
    assert count >= 2 and layout.size == 5 and check_layout(layout) == []
