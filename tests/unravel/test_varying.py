"""Payloads that vary in length: checks at their end, items of one shape, and layouts made of both."""

from functools import reduce
from operator import xor

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.unravel.made import nothing_known, slow
from tests.unravel.test_texts_and_lengths import frames_of
from zesty_abacus.core.codec.columns import CheckState
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.finding import bits_of
from zesty_abacus.core.unravel.keeping import all_kept
from zesty_abacus.core.unravel.look import unravel
from zesty_abacus.core.unravel.questions.ends import end_checks
from zesty_abacus.core.unravel.questions.varying import varying


def crc(data, width, polynomial, start=0, final=0, reflected=False):
    """Return a CRC by long division, a bit at a time."""
    register, top = start, 1 << (width - 1)
    for byte in data:
        for bit in range(8) if reflected else range(7, -1, -1):
            carry = bool(register & top) ^ bool(byte >> bit & 1)
            register = (register << 1) & ((1 << width) - 1) ^ (polynomial if carry else 0)
    return (int(f"{register:0{width}b}"[::-1], 2) if reflected else register) ^ final


def bodies(seed, count=200, head=b"\xa5"):
    """Return payloads of many lengths whose bytes rise slowly."""
    random = np.random.default_rng(seed)
    for row in range(count):
        size = int(random.integers(2, 12))
        yield head + bytes([size]) + bytes((random.integers(0, 40, size) + row // 4).astype(np.uint8))


@pytest.mark.parametrize(
    ("check", "places", "said"),
    [
        (lambda data: bytes([sum(data) & 255]), "B-1", {"check": "sum"}),
        (lambda data: bytes([-sum(data) & 255]), "B-1", {"check": "sum", "negated": "twos"}),
        (lambda data: bytes([reduce(xor, data)]), "B-1", {"check": "xor"}),
        (lambda data: bytes([crc(data, 8, 0x2F, 0xFF, 0xFF)]), "B-1",
         {"check": "crc", "width": 8, "polynomial": 0x2F, "start": 0xFF, "final": 0xFF}),
        (lambda data: crc(data, 16, 0x8005, 0xFFFF, 0, True).to_bytes(2, "little"), "B-1 B-2",
         {"check": "crc", "width": 16, "polynomial": 0x8005, "start": 0xFFFF, "reflect_in": True, "reflect_out": True}),
        (lambda data: crc(data, 16, 0x3D65, 0x1D0F, 0x1234).to_bytes(2, "big"), "B-2 B-1",
         {"check": "crc", "width": 16, "polynomial": 0x3D65, "start": 0x1D0F, "final": 0x1234}),
        (lambda data: crc(data, 32, 0x04C11DB7, 2**32 - 1, 2**32 - 1, True).to_bytes(4, "little"), "B-1 B-2 B-3 B-4",
         {"check": "crc", "width": 32, "polynomial": 0x04C11DB7, "start": 2**32 - 1, "final": 2**32 - 1,
          "reflect_in": True, "reflect_out": True}),
    ],
)  # fmt: skip
def test_a_check_at_the_end_is_found_with_its_parameters(check, places, said):
    payloads = [body + check(body) for body in bodies(7)]
    (found,) = end_checks(frames_of(payloads))
    assert found.places == places and found.frames == len(payloads) and found.against == 0
    assert found.parameters == said | {"coverage": {"end": f"size - {len(places.split())}"}}
    assert f"all {len(payloads)} frames of 10 lengths" in found.reason


def test_what_a_check_leaves_out_in_front_is_said():
    random = np.random.default_rng(3)
    payloads = []
    for row, body in enumerate(bodies(8, head=b"")):
        address = bytes([int(random.integers(1, 200))])
        payloads.append(address + body + bytes([sum(body) + row * 0 & 255]))
    (found,) = end_checks(frames_of(payloads))
    assert found.parameters == {"check": "sum", "coverage": {"first": "1", "end": "size - 1"}}
    assert "from B1 on" in found.reason


def test_a_few_damaged_frames_speak_against_it():
    payloads = [body + bytes([crc(body, 8, 0x31)]) for body in bodies(9, 400)]
    for row in (10, 100, 300):
        payloads[row] = payloads[row][:-1] + bytes([payloads[row][-1] ^ 0x40])
    (found,) = end_checks(frames_of(payloads))
    assert (found.frames, found.against) == (397, 3) and found.confidence < 0.99


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10_000))
def test_noise_of_many_lengths_has_no_check(seed):
    random = np.random.default_rng(seed)
    payloads = [bytes(random.integers(0, 256, int(random.integers(4, 12)), dtype=np.uint8)) for _ in range(120)]
    assert end_checks(frames_of(payloads)) == []


def cells(*, counts_bytes, rows=400, seed=1):
    """Return payloads with a counter, a count, so many items of a voltage and a temperature, and a CRC."""
    random = np.random.default_rng(seed)
    voltages = [slow(rows, seed=10 + n, low=100, high=3000) for n in range(8)]
    heats = [slow(rows, seed=30 + n, low=20, high=220) for n in range(8)]
    payloads, number = [], 3
    for row in range(rows):
        number = int(random.integers(1, 8)) if random.random() < 0.2 else number
        items = b"".join(
            int(voltages[n][row]).to_bytes(2, "little") + bytes([int(heats[n][row])]) for n in range(number)
        )
        data = bytes([0xA5, row & 15, len(items) + 4 if counts_bytes else number]) + items
        payloads.append(data + bytes([crc(data, 8, 0x2F, 0xFF, 0xFF)]))
    return payloads


def test_items_are_found_with_what_counts_them():
    found = varying(frames_of(cells(counts_bytes=False)))
    count, voltage, heat, check = found.said
    assert found.head == 3 and (count.kind, count.places) == ("count", "B2")
    assert count.parameters == {
        "of": {"places": "B3..B5", "step_bits": 24}, "unit": 1, "offset": 0, "inverted": False,
    }  # fmt: skip
    array = {"step_bits": 24, "count": None, "high_end_first": False}
    assert (voltage.kind, voltage.places, voltage.parameters["array"]) == ("field", "B4[3..0] B3", array)
    assert (heat.kind, heat.places, heat.parameters["array"]) == ("field", "B5", array)
    assert (check.kind, check.places) == ("check", "B-1")


def test_items_are_found_where_only_bytes_are_counted():
    found = varying(frames_of(cells(counts_bytes=True)))
    assert [(one.kind, one.places) for one in found.said] == [
        ("length", "B2"), ("field", "B4[3..0] B3"), ("field", "B5"), ("check", "B-1"),
    ]  # fmt: skip


@pytest.mark.parametrize("counts_bytes", [False, True])
def test_what_is_kept_of_it_reads_every_frame(counts_bytes):
    payloads = cells(counts_bytes=counts_bytes)
    layout = layout_found_in(capture_of(payloads), max(map(len, payloads)))
    assert check_layout(layout) == []
    frames = frames_of(payloads)
    decoded = decode(compile_layout(layout, {}), frames.matrix, frames.sizes)
    (check,) = (one for one in layout.checks if one.__struct_config__.tag == "crc")
    assert (decoded.checks[check.id].state == CheckState.AGREES).all()
    (items,) = (part for part in layout.parts if part.name == "items")
    rows = decoded.arrays[items.id]
    voltage = next(field for field in items.fields if len(field.places) == 12)
    expected = [
        int.from_bytes(one[at : at + 2], "little")
        for one in payloads for at in range(3, len(one) - 1, 3)
    ]  # fmt: skip
    assert rows.columns[voltage.id].raw.tolist() == expected


@pytest.mark.parametrize("counts_bytes", [False, True])
def test_what_is_kept_of_it_is_not_said_again(counts_bytes):
    payloads = cells(counts_bytes=counts_bytes)
    capture = capture_of(payloads)
    layout = layout_found_in(capture, max(map(len, payloads)))
    (again,) = unravel(Meaning.of(capture, [layout]), None).kinds
    assert {one.kind for one in again.findings} <= {"constant", "period"}


def layout_found_in(capture, size):
    """Return a layout with all that is likely in the one message of a capture."""
    (of_kind,) = unravel(Meaning.of(capture, []), None).kinds
    layout, count = all_kept(new_layout("Cells", Applies(address=0x100), size), of_kind.findings, 0.9)
    assert count >= 5
    return layout


def capture_of(payloads):
    sizes = np.array([len(one) for one in payloads], np.uint32)
    start = np.cumsum(sizes, dtype=np.int64) - sizes
    count = len(payloads)
    table = FrameTable(
        np.arange(count, dtype=np.int64) * 10_000_000, np.zeros(count, np.uint16), np.full(count, 0x100, np.int64),
        np.zeros(count, np.uint32), start, sizes, np.frombuffer(b"".join(payloads), np.uint8),
    )  # fmt: skip
    return Capture.from_table(table, (Lane("bench", "can"),))


def test_all_frames_speak_of_what_stands_before_the_items():
    (of_kind,) = unravel(Meaning.of(capture_of(cells(counts_bytes=False)), []), None).kinds
    counter = next(one for one in of_kind.findings if one.kind == "counter")
    assert counter.places == "B1[3..0]" and counter.frames == 399
    check = next(one for one in of_kind.findings if one.kind == "check")
    assert bits_of(check) == () and bits_of(check, 10) == tuple(range(79, 71, -1))
    assert nothing_known(4).up_to(2).owned.size == 16
