"""Layouts begun from papers: of each sort, valid as they stand, and of one address."""

import pytest

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.protocols.registry import protocol_named
from zesty_abacus.core.protocols.spaces import Space
from zesty_abacus.core.reading.unrecorded import MessageSort, message_sorts


@pytest.mark.parametrize("sort", message_sorts(), ids=lambda sort: sort.words)
def test_each_sort_begins_with_its_own_example(sort):
    example = sort.asked.rpartition("such as ")[2]
    made = sort.begun(f" {example} ")
    assert check_layout(made) == [] and made.applies.protocol == sort.protocol
    if sort.space is None:
        wanted, extended = protocol_named(sort.protocol).read_address(example)
        assert (made.applies.address, made.applies.extended) == (wanted, extended)
    else:
        assert made.registers.space is sort.space and made.registers.device == int(example, 0)


@pytest.mark.parametrize("sort", message_sorts(), ids=lambda sort: sort.words)
def test_one_of_any_address_is_none(sort):
    """It would read every message that nobody has named."""
    with pytest.raises(MisuseError, match="which one"):
        sort.begun("  ")


def test_can_comes_first_and_a_device_is_of_one_sort_of_registers():
    words = [sort.words for sort in message_sorts()]
    assert words[0] == "CAN" and words[1:] == sorted(words[1:], key=str.lower) and len(set(words)) == len(words)
    assert {"Modbus, holding registers", "Modbus, coils", "byte registers", "LIN"} <= set(words)
    assert not {"Modbus", "tied by hand", "registers"} & set(words)


@pytest.mark.parametrize("text", ["-1", "1024", "one", "1.5"])
def test_what_is_no_device_is_told(text):
    with pytest.raises(MisuseError, match="is no device"):
        MessageSort("modbus", Space.HOLDING).begun(text)


def test_sizes_and_names():
    assert (MessageSort("can").begun("0x1A0").size, MessageSort("serial").begun("0x10").size) == (8, 0)
    assert MessageSort("can").begun("18FF5010").applies.extended
    assert MessageSort("registers", Space.BYTES).begun("0x5A").name == "Device 90 byte registers"
    assert MessageSort("modbus", Space.COILS).begun("1023").registers.device == 1023
