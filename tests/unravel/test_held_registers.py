"""What a capture holds in registers that nobody laid out: each by itself, and several as one number."""

import numpy as np
import pytest

from tests.unravel.made import polled, slow
from tests.unravel.test_devices import as_registers, registers_with
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.model import Applies, RegisterMap, Space, new_layout
from zesty_abacus.core.progress import Cancelled, Progress
from zesty_abacus.core.protocols.modbus import address_of
from zesty_abacus.core.reading.fresh import kind_with_registers
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.devices import held
from zesty_abacus.core.unravel.devices.held import HeldRegisters


def held_of(capture, progress=None):
    layout = new_layout("unit 3", Applies(protocol="modbus"), 2, registers=RegisterMap(device=3, space=Space.HOLDING))
    meaning = Meaning.of(capture, [layout])
    kind = meaning.kinds_read_by(layout.id)[0]
    return HeldRegisters.of(meaning, kind, meaning.kinds[kind].reader_with(layout.id), progress or Progress())


def test_each_register_says_whether_it_moves_whatever_exchange_carried_it():
    registers = registers_with(400, 12, R4=slow(400), R9=np.full(400, 7), R1=np.arange(400) // 399)
    found = held_of(polled(registers, (0, 3, 4), (4, 2, 1), (8, 4, 10)))
    assert list(found.registers) == [0, 1, 2, 4, 5, 8, 9, 10, 11], "register 3, 6 and 7 are in no exchange"
    assert [number for number, one in found.registers.items() if one.moves] == [4]
    # the last of the slow polls comes before register 1 goes on
    assert len(found.registers[4].curve.time_ns) == 400 and len(found.registers[9].curve.time_ns) == 40
    assert found.registers[9].curve.value_range() == (7.0, 7.0)


def test_what_moved_once_among_many_polls_moves(monkeypatch):
    """Also where that frame is none of those that are kept."""
    monkeypatch.setattr(held, "_MOST_FRAMES", 300)
    registers = registers_with(2000, 3, R0=np.arange(2000) == 1001)
    found = held_of(polled(registers, (0, 3, 1))).registers
    assert [number for number, one in found.items() if one.moves] == [0]
    assert len(found[0].curve.time_ns) < 400 and found[0].curve.value_range() == (0.0, 0.0)


@pytest.mark.parametrize(("order", "said"), [
    ([0, 1], "high byte first"), ([1, 0], "low word first, high byte first in each"),
])  # fmt: skip
def test_two_registers_are_read_in_every_order_the_smoothest_first(order, said):
    registers = registers_with(500, 6)
    registers[:, 4:8] = as_registers(slow(500, low=60_000, high=900_000), ">u4", order)
    found = held_of(polled(registers, (0, 6, 1)))
    best, *others = found.readings(2, 3)
    assert best.words == f"unsigned, {said}" and len(others) >= 5
    assert best.field.places.bits[0] // 8 == (4 if order == [0, 1] else 6), "its places are those of the map"
    assert others[0].smoothness.roughness >= best.smoothness.roughness
    words = [one.words for one in (best, *others)]
    assert len(set(words)) == len(words) and "single float, high byte first" not in words
    orders = {"high byte first", "low byte first", "low word first, high byte first in each",
              "high word first, low byte first in each"}  # fmt: skip
    assert {f"unsigned, {order}" for order in orders} <= set(words)


def test_a_floating_point_number_is_smoothest_as_one():
    registers = registers_with(500, 4)
    registers[:, 0:4] = as_registers(slow(500) / 100.0, ">f4", [1, 0])
    assert (
        held_of(polled(registers, (0, 4, 1))).readings(0, 1)[0].words
        == "floating point, low word first, high byte first in each"
    )


def test_a_sign_is_only_asked_of_what_goes_below_zero():
    registers = registers_with(300, 2, R0=slow(300, low=0, high=900), R1=slow(300, low=-500, high=500))
    found = held_of(polled(registers, (0, 2, 1)))
    assert {one.words for one in found.readings(0, 0)} >= {"unsigned, high byte first", "unsigned, low byte first"}
    assert "signed, high byte first" not in {one.words for one in found.readings(0, 0)}
    assert found.readings(1, 1)[0].words == "signed, high byte first"


def test_a_number_across_exchanges_is_read_where_one_carried_both_of_its_registers():
    registers = registers_with(300, 8)
    registers[:, 4:8] = as_registers(slow(300, low=60_000, high=900_000), ">u4")
    assert held_of(polled(registers, (0, 3, 1), (3, 3, 1))).readings(2, 3) == []
    found = held_of(polled(registers, (0, 3, 1), (3, 3, 1), (0, 6, 3)))
    assert len(found.readings(2, 3)[0].column) == 100
    assert found.readings(0, 4) == [], "no number fills five registers"
    assert found.readings(6, 7) == [], "no exchange carried these"


def test_looking_at_registers_can_be_cancelled():
    cancelled = Progress()
    cancelled.cancel()
    with pytest.raises(Cancelled):
        held_of(polled(registers_with(50, 2), (0, 2, 1)), cancelled)


def test_the_registers_of_a_request_are_in_its_answer():
    """Of a function that reads; of one that writes it is the other way round. What was never answered is itself."""
    asked, written, alone = address_of(3, 3, 0), address_of(3, 16, 0), address_of(3, 3, 8)
    frames = [(asked, 0, 2), (asked, F.ANSWER, 4), (written, 0, 6), (written, F.ANSWER, 2), (alone, 0, 2)]  # fmt: skip
    sizes = np.array([size for *_, size in frames], np.uint32)
    table = FrameTable(
        np.arange(5, dtype=np.int64), np.zeros(5, np.uint16), np.array([address for address, *_ in frames], np.int64),
        np.array([flags for _, flags, _ in frames], np.uint32), np.cumsum(sizes.astype(np.int64)) - sizes, sizes,
        np.zeros(int(sizes.sum()), np.uint8),
    )  # fmt: skip
    capture = Capture.from_table(table, (Lane("deck", "modbus"),))
    keys = {(key.address, key.flags): kind for kind, key in enumerate(capture.kinds.keys)}
    carries = {key: kind_with_registers(capture, kind) for key, kind in keys.items()}
    assert carries == keys | {(asked, 0): keys[asked, F.ANSWER], (written, F.ANSWER): keys[written, 0]}
