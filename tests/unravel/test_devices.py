"""Registers of polled devices: each is said once, from all exchanges that carried it."""

import numpy as np
import pytest

from tests.unravel.made import polled, put, slow
from zesty_abacus.core.frames.capture import Capture
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.model import Applies, RegisterMap, Space, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.layouts.validate import problems_inside
from zesty_abacus.core.protocols.modbus import address_of
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.devices.beside import exchanges_beside, said_beside
from zesty_abacus.core.unravel.drafts import drafts
from zesty_abacus.core.unravel.look import Asked, unravel

FAST, SLOW = address_of(3, 3, 4), address_of(3, 3, 0)


def as_registers(values, form, order=None):
    """Return numbers as the registers they lie in, the highest first unless an order of registers says otherwise."""
    raw = np.asarray(values).astype(form).view(np.uint8).reshape(len(values), -1, 2)
    return raw[:, order if order is not None else slice(None)].reshape(len(values), -1)


def findings(capture, layouts=(), **asked):
    """Return the findings that are no constants, as (address, kind, places)."""
    found = unravel(Meaning.of(capture, layouts), Asked(**asked))
    said = [one for kind in found.kinds for one in kind.findings if one.places and one.kind != "constant"]
    return {(one.address, one.places): one for one in said}


def registers_with(count, size, **values):
    """Return registers with some values in them, by places such as ``R4``."""
    matrix = np.zeros((count, size * 2), np.uint8)
    for places, numbers in values.items():
        put(matrix, places.replace("_", " "), numbers)
    return matrix


def test_what_two_exchanges_carry_is_said_once_from_the_frames_of_both():
    registers = registers_with(600, 12, R4=slow(600, low=300, high=9000), R9=slow(600, seed=3, low=0, high=5000))
    found = findings(polled(registers, (0, 12, 10), (4, 2, 1)))
    assert set(found) == {(FAST, "B0 B1"), (SLOW, "B18 B19")}
    one = next(one for (address, _), one in found.items() if address == FAST)
    assert one.frames == 660
    assert one.reason.endswith("These registers come in 2 exchanges: 3 · holding 0 answer, 3 · holding 4 answer.")


def test_a_number_across_a_border_is_found_where_an_exchange_carried_both_sides():
    registers = registers_with(600, 12)
    registers[:, 8:12] = as_registers(slow(600, low=-4_000_000, high=90_000_000), ">i4")
    # one exchange ends in the middle of it
    found = findings(polled(registers, (0, 5, 1), (3, 6, 1)))
    assert list(found) == [(address_of(3, 3, 3), "B2..B5")]
    assert next(iter(found.values())).frames == 600


@pytest.mark.parametrize(
    ("form", "order", "places"),
    [
        (">f8", None, "B4..B11"),
        (">f8", [3, 2, 1, 0], "B10 B11 B8 B9 B6 B7 B4 B5"),
        (">f4", None, "B4..B7"),
        (">f4", [1, 0], "B6 B7 B4 B5"),
    ],
)
def test_floats_of_two_and_four_registers_are_found_in_each_order_of_words(form, order, places):
    random = np.random.default_rng(5)
    wave = 230 + 8 * np.sin(np.arange(500) / 40) + random.normal(0, 0.02, 500)
    registers = registers_with(500, 8, R0=slow(500, seed=8))
    made = as_registers(wave, form, order)
    registers[:, 4 : 4 + made.shape[1]] = made
    found = findings(polled(registers, (0, 8, 1)))
    one = found[address_of(3, 3, 0), places]
    assert one.kind == "field" and one.parameters["reading"] == "float" and one.confidence >= 0.9


def test_a_number_fills_its_register_however_small_it_stayed():
    random = np.random.default_rng(6)
    states = random.integers(0, 5, 40).repeat(15)
    registers = registers_with(
        600, 6, R1=slow(600, low=100, high=700), R3=slow(600, seed=2, low=-900, high=-300), R5=states
    )
    found = findings(polled(registers, (0, 6, 1)))
    assert {places: one.parameters["reading"] for (_, places), one in found.items()} == {
        "B2 B3": "unsigned", "B6 B7": "signed", "B10 B11": "names",
    }  # fmt: skip
    low, high = registers[:, 2:4].view(">u2").min(), registers[:, 2:4].view(">u2").max()
    assert found[SLOW, "B2 B3"].reason.startswith(f"As one number it runs from {low} to {high} with steps of at most ")
    assert found[SLOW, "B2 B3"].reason.endswith("6 bits above, up to the whole register, never move.")


def test_status_words_stay_bits():
    random = np.random.default_rng(7)
    bits = [random.integers(0, 2, 30).repeat(20) for _ in range(3)]
    registers = registers_with(600, 3, R1=bits[0] | bits[1] << 3 | bits[2] << 9)
    found = findings(polled(registers, (0, 3, 1)))
    assert {places: one.parameters["reading"] for (_, places), one in found.items()} == {
        "B3[0]": "flag", "B3[3]": "flag", "B2[1]": "flag",
    }  # fmt: skip


def test_a_scale_that_changes_is_told_by_what_the_numbers_do():
    scale = np.where(np.arange(900) // 150 % 2 == 0, -1, -2)
    value = slow(900, low=2000, high=2600) / 10
    registers = registers_with(900, 8, R2=np.round(value / 10.0**scale).astype(int), R5=scale, R7=slow(900, seed=4))
    found = findings(polled(registers, (0, 8, 1)))
    one = found[SLOW, "B4 B5"]
    assert one.parameters["power_of_ten"] == "B10 B11"
    assert "In all 5 times that B10 B11 changed it went the other way by as many powers of ten" in one.reason
    assert "power_of_ten" not in found[SLOW, "B14 B15"].parameters


def test_each_scale_tells_of_its_own_numbers():
    scales = [np.where((np.arange(900) + shift) // 150 % 2 == 0, -1, -2) for shift in (0, 75)]
    values = [slow(900, low=2000, high=2600) / 10, slow(900, seed=3, low=3000, high=3900) / 10]
    scaled = [np.round(value / 10.0**scale).astype(int) for value, scale in zip(values, scales, strict=True)]
    registers = registers_with(900, 8, R1=scaled[0], R2=scales[0], R4=scaled[1], R5=scales[1])
    found = findings(polled(registers, (0, 8, 1)))
    for scale, number in (("B4 B5", "B2 B3"), ("B10 B11", "B8 B9")):
        one = found[SLOW, scale]
        assert one.parameters == {"reading": "signed", "scales": [number]}
        assert one.reason == (
            f"As a number with sign it is between −2 and −1 in all 900 frames, and what {number} says goes by powers "
            "of ten when it changes."
        )


def test_a_scale_that_never_moves_is_a_guess_beside_the_constant():
    registers = registers_with(400, 6, R1=slow(400), R2=slow(400, seed=2), R3=np.full(400, -2), R5=np.full(400, 7))
    capture = polled(registers, (0, 6, 1))
    one = findings(capture)[SLOW, "B6 B7"]
    assert one.instead_of and one.parameters == {"reading": "signed", "scales": ["B2 B3", "B4 B5"]}
    assert one.confidence == 0.5 and one.reason.startswith("It is −2 in all 400 frames")
    assert not any(places == "B10 B11" for _, places in findings(capture))


@pytest.mark.parametrize("unit", [60, 1000, 10_000])
def test_two_registers_that_carry_in_decimal_are_one_number(unit):
    total = np.cumsum(np.random.default_rng(8).integers(0, unit // 12, 800))
    registers = registers_with(800, 5, R1=total // unit, R2=total % unit)
    found = findings(polled(registers, (0, 5, 1)))
    assert found[SLOW, "B4 B5"].parameters["carries"] == {"into": "B2 B3", "at": unit}


def test_binary_carries_are_no_decimal_ones():
    total = np.cumsum(np.random.default_rng(8).integers(0, 4000, 800)) + 40_000
    registers = registers_with(800, 5, R1=total >> 16, R2=total & 0xFFFF)
    found = findings(polled(registers, (0, 5, 1)))
    assert not any("carries" in one.parameters for one in found.values())


def test_a_round_float_that_never_moves_is_another_reading_in_the_order_of_those_that_move():
    wave = 50 + np.sin(np.arange(500) / 30) + np.random.default_rng(3).normal(0, 0.01, 500)
    registers = registers_with(500, 8)
    registers[:, 0:4] = as_registers(wave, ">f4", [1, 0])
    registers[:, 8:12] = as_registers(np.full(500, 0.1), ">f4", [1, 0])
    capture = polled(registers, (0, 8, 1))
    one = findings(capture)[SLOW, "B10 B11 B8 B9"]
    assert one.instead_of and one.parameters == {"reading": "float"}
    assert one.reason.endswith("low word first, it is 0.1, which is round, as in the floats of this device that move.")


def test_blocks_of_many_registers_are_looked_at_whole():
    values = {f"R{n}": slow(400, seed=n, low=50 * n, high=300 * n + 200) for n in (3, 40, 70, 110)}
    found = findings(polled(registers_with(400, 120, **values), (0, 120, 1)))
    assert {places for _, places in found} == {"B6 B7", "B80 B81", "B140 B141", "B220 B221"}


def test_polls_of_one_start_and_several_counts_are_looked_at_together():
    registers = registers_with(600, 10, R1=slow(600), R7=slow(600, seed=2))
    found = findings(polled(registers, (0, 10, 6), (0, 3, 1)))
    assert found[SLOW, "B2 B3"].frames == 700 and found[SLOW, "B14 B15"].frames == 100


def test_what_a_layout_of_one_exchange_explains_is_known_in_the_others():
    registers = registers_with(600, 12, R4=slow(600), R9=slow(600, seed=3))
    field = new_field("level", parse_places("B0 B1"))
    layout = new_layout("quick", Applies(address=FAST, protocol="modbus", way="answer"), 4).with_field(field)
    found = findings(polled(registers, (0, 12, 1), (4, 2, 3)), [layout])
    assert set(found) == {(SLOW, "B18 B19")}


def test_one_draft_is_made_of_a_device_with_what_numbers_make_together():
    scale = np.where(np.arange(900) // 150 % 2 == 0, -1, -2)
    watts = np.round(slow(900, low=2000, high=2600) / 10 / 10.0**scale).astype(int)
    total = np.cumsum(np.random.default_rng(8).integers(0, 80, 900))
    registers = registers_with(900, 14, R2=watts, R5=scale, R10=total // 1000, R11=total % 1000)
    capture = polled(registers, (0, 6, 1), (8, 6, 3))
    ((layout, count),) = drafts(unravel(Meaning.of(capture, ())), 0.8)
    assert layout.name == "Unit 3 holding registers"
    assert layout.registers == RegisterMap(device=3, space=Space.HOLDING) and layout.applies.address is None
    assert [str(one.places) for one in layout.fields] == ["B4 B5", "B10 B11", "B20 B21", "B22 B23"] and count == 4
    watt, power, high, low = (one.name for one in layout.fields)
    assert [one.expression.text for one in layout.computed] == [
        f"`{watt}` * pow(10, `{power}`)", f"`{high}` * 1000 + `{low}`",
    ]  # fmt: skip
    assert problems_inside([layout]) == []
    meaning = Meaning.of(capture, [layout])
    assert all(kind.readers for kind in meaning.kinds)
    found = unravel(meaning)
    assert not [one for kind in found.kinds for one in kind.findings if one.kind == "field" and not one.instead_of]


def test_a_draft_of_a_map_puts_fields_where_the_map_has_them():
    registers = registers_with(600, 12, R4=slow(600), R9=slow(600, seed=3))
    capture = polled(registers, (4, 8, 1))
    known = new_field("level", parse_places("B8 B9"))
    device = new_layout(
        "device", Applies(protocol="modbus"), 24, [known], registers=RegisterMap(device=3, space=Space.HOLDING)
    )
    ((layout, count),) = drafts(unravel(Meaning.of(capture, [device])), 0.8)
    assert layout.id == device.id and count == 1
    assert [str(one.places) for one in layout.fields] == ["B8 B9", "B18 B19"]


@pytest.mark.parametrize(("said", "places"), [(b"Harbour tug Yuzu", "B3 B2 B5 B4"), (b"Yuzu 7\0\0", "B3 B2 B5 B4")])
def test_text_with_the_bytes_of_registers_turned_round_is_read(said, places):
    registers = registers_with(300, 12, R11=slow(300))
    turned = np.frombuffer(said, np.uint8).reshape(-1, 2)[:, ::-1].reshape(-1)
    registers[:, 2 : 2 + len(said)] = turned
    found = findings(polled(registers, (0, 12, 1)))
    one = next(one for one in found.values() if one.kind == "text")
    assert one.places.startswith(places) and said.rstrip(b"\0").decode() in one.reason
    registers[:, 2 : 2 + len(said)] = np.frombuffer(said, np.uint8)
    plain = next(one for one in findings(polled(registers, (0, 12, 1))).values() if one.kind == "text")
    assert parse_places(plain.places).bits[:8] == tuple(range(23, 15, -1))


def test_another_exchange_shows_what_is_said_of_its_registers_at_its_own_places():
    total = np.cumsum(np.random.default_rng(8).integers(0, 80, 600))
    registers = registers_with(600, 12, R4=total // 1000, R5=total % 1000, R9=slow(600, seed=3))
    meaning = Meaning.of(polled(registers, (0, 12, 10), (4, 2, 1)), ())
    by_kind = {one.kind: one.findings for one in unravel(meaning).kinds}
    beside = exchanges_beside(meaning.capture)
    kinds = {key.address: kind for kind, key in enumerate(meaning.capture.kinds.keys)}
    said = said_beside(meaning.capture, kinds[SLOW], beside, by_kind)
    fields = {one.places: one for one in said if one.kind == "field"}
    assert set(fields) == {"B8 B9", "B10 B11"} and {one.address for one in said} == {SLOW}
    assert fields["B10 B11"].parameters["carries"] == {"into": "B8 B9", "at": 1000}
    # what the quick exchange does not carry is not said there
    assert said_beside(meaning.capture, kinds[FAST], beside, by_kind) == []


def test_answers_that_end_within_a_register_are_looked_at_as_far_as_they_go():
    registers = registers_with(300, 4, R1=slow(300, low=100, high=700))
    registers[:, 6] = np.random.default_rng(2).integers(0, 4, 60).repeat(5)
    whole = polled(registers, (0, 4, 1))
    table = whole.segments[0].segment.table
    cut = FrameTable(
        table.time_ns, table.lane, table.address, table.flags, table.start, np.full(300, 7, np.uint32), table.payload
    )
    found = findings(Capture.from_table(cut, whole.lanes))
    assert found[SLOW, "B2 B3"].parameters["reading"] == "unsigned"
    assert any(places.startswith("B6") for _, places in found)
