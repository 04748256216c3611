"""Devices of byte registers that are played, and the bench that asks them."""

import time

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.live.maps import byte_map, holding_map
from tests.steady import KEEPS_TIME
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.layouts.registers import PastEnd
from zesty_abacus.core.live.byte_device import I2cDevice, SpiDevice
from zesty_abacus.core.live.device_registers import DeviceRegisters, PastEndError
from zesty_abacus.core.live.endpoint import Outgoing
from zesty_abacus.core.live.hosting import host_lane
from zesty_abacus.core.live.registry import endpoint_of
from zesty_abacus.core.protocols.byte_registers import NO_REGISTER
from zesty_abacus.core.protocols.spaces import Space
from zesty_abacus.core.rehearse.device import device_of, registers_of
from zesty_abacus.core.rehearse.feed_words import parse_feed

pytestmark = KEEPS_TIME

AT = 0x48 << 16


def i2c(image=bytes(range(16)), **more):
    seen = []
    return I2cDevice(0x48, DeviceRegisters(Space.BYTES, image, len(image), **more), seen=seen.append), seen


def read(device, first, count):
    return device.answer(Outgoing(bytes(count), AT | first, F.READ))


def write(device, first, data):
    return device.answer(Outgoing(data, AT | first))


@given(st.integers(1, 40), st.sampled_from(PastEnd), st.booleans(), st.data())
def test_any_accesses_do_what_a_plain_list_does(count, past_end, advances, data):
    ours = DeviceRegisters(Space.BYTES, bytes(count), count, past_end=past_end, advances=advances)
    plain = [0] * count
    for _ in range(data.draw(st.integers(0, 8))):
        first, values = data.draw(st.integers(0, count + 3)), data.draw(st.binary(max_size=12))
        places = [first + (place if advances else 0) for place in range(len(values))]
        is_beyond = (max(places) if places else first - 1) >= count
        is_write = data.draw(st.booleans())
        if is_beyond and past_end is PastEnd.REFUSE:
            with pytest.raises(PastEndError):
                ours.write(first, list(values)) if is_write else ours.read(first, len(values))
            continue
        if past_end is PastEnd.WRAP:
            places = [place % count for place in places]
        if is_write:
            ours.write(first, list(values))
            for place, value in zip(places, values, strict=True):
                if place < count:
                    plain[place] = value
        else:
            wanted = [plain[place] if place < count else 0 for place in places]
            assert ours.read(first, len(values)) == wanted
    assert ours.image == bytes(plain)


def test_reads_and_writes_go_on_from_the_pointer():
    device, seen = i2c()
    assert write(device, 4, b"\xaa\xbb") is None, "an acknowledged write says nothing"
    assert read(device, NO_REGISTER, 2).payload == b"\x06\x07", "behind what was written"
    went_on = read(device, NO_REGISTER, 1)
    assert (went_on.payload, went_on.address) == (b"\x08", AT | 8)
    assert read(device, 4, 2).payload == b"\xaa\xbb"
    assert [one.words for one in seen] == ["write 2 from 4", "read 2 from 6", "read 1 from 8", "read 2 from 4"]


def test_a_pointer_that_stays_gives_the_same_register_again():
    device, _ = i2c(advances=False)
    assert read(device, 5, 3).payload == b"\x05\x05\x05"
    assert read(device, NO_REGISTER, 1).payload == b"\x05"
    write(device, 5, b"\x01\x02")
    assert device.registers.image[5:7] == b"\x02\x06", "both bytes went into one register, the last one stays"


@pytest.mark.parametrize(
    ("past_end", "read_back", "kept", "is_refused"),
    [
        (PastEnd.REFUSE, b"\xff\xff\xff", bytes(range(16)), True),
        (PastEnd.WRAP, b"\x0f\x00\x01", b"\x02\x03" + bytes(range(2, 15)) + b"\x01", False),
        (PastEnd.IGNORE, b"\x0f\x00\x00", bytes(range(15)) + b"\x01", False),
    ],
)
def test_what_lies_behind_the_last_register_is_as_the_map_says(past_end, read_back, kept, is_refused):
    device, seen = i2c(past_end=past_end)
    got = read(device, 15, 3)
    assert got.payload == read_back
    assert got.flags == F.READ | F.PAST_END
    refused = write(device, 15, b"\x01\x02\x03")
    assert (refused is not None and refused.flags == F.REFUSED | F.PAST_END) is is_refused
    assert device.registers.image == kept
    assert device.counts.refused == (2 if is_refused else 0)
    assert [bool(one.refused) for one in seen] == [is_refused] * 2


def test_the_first_byte_on_spi_says_which_register_and_whether_it_is_written():
    device = SpiDevice(0, DeviceRegisters(Space.BYTES, bytes(range(16)), 16))
    assert device.answer(Outgoing(b"\x03\x00\x00")) == Outgoing(b"\x00\x03\x04", 1, F.ANSWER)
    assert device.answer(Outgoing(b"\x83\xaa\xbb")).payload == bytes(3), "nothing comes back but the status"
    assert device.answer(Outgoing(b"\x02\x00\x00\x00")).payload == b"\x00\x02\xaa\xbb"
    assert device.answer(Outgoing(b"")) is None


def heard(bench, seconds, lanes=("bilge", "winch")):
    """Listen so long, and on a busy machine until each lane has said something twice."""
    rows, began = [], time.monotonic()
    while (passed := time.monotonic() - began) < seconds or (
        passed < 60 and any(sum(row[0] == lane for row in rows) < 3 for lane in lanes)
    ):
        table = bench.receive(0.1)
        rows += [
            (bench.lanes[lane].name, int(address), int(flags & ~np.uint32(F.RECEIVED)), table.payload_of(row))
            for row, (lane, address, flags) in enumerate(zip(table.lane, table.address, table.flags, strict=True))
        ]
    return rows


@pytest.fixture
def bench():
    made = endpoint_of("bench:yuzu")
    made.open()
    yield made
    made.close()


def test_the_tugs_controllers_ask_their_devices(bench):
    rows = heard(bench, 1.2)
    levels = [
        payload for lane, address, flags, payload in rows if (lane, address, flags) == ("bilge", 0x5A0010, F.READ)
    ]
    assert len(levels) >= 2
    assert {payload[2:] for payload in levels} == {b"\x01\x6c"}
    winch = [(address, payload[:1]) for lane, address, _, payload in rows if lane == "winch"]
    assert winch[0] == (0, b"\x21")
    assert [address for address, _ in winch] == [0, 1] * (len(winch) // 2)
    sequence = [payload[0] & 0x0F for address, payload in winch if address == 1]
    assert sequence == [(sequence[0] + place) % 16 for place in range(len(sequence))]


def test_a_played_device_stands_in_for_the_tugs_own_until_it_is_over(bench):
    layout, seen = byte_map(), []
    server = device_of(layout, {"level": parse_feed("700")}, "bilge", seen=seen.append, connected=[bench])
    server.open()
    assert server.where == "bilge, device 0x5A"
    rows = heard(bench, 1.2)
    assert (700).to_bytes(2, "big") + bytes(2) in [row[3] for row in rows if row[0] == "bilge"]
    assert "read 4 from 16" in [one.words for one in seen]
    assert server.counts.answered == len(seen)
    server.close()
    later = [row[3] for row in heard(bench, 1.2) if row[0] == "bilge"][1:]
    assert later and all(payload[2:] == b"\x01\x6c" for payload in later)


def test_an_address_that_nobody_has_is_not_acknowledged_until_somebody_plays_it(bench):
    bench.send(Outgoing(bytes(2), 0x31 << 16 | 4, F.READ, lane=3))
    rows = [row for row in heard(bench, 0.3) if row[1] >> 16 & 0xFFFF == 0x31]
    assert rows == [("bilge", 0x31 << 16 | NO_REGISTER, F.READ | F.REFUSED, b"")]
    device = bench.plug("bilge", 0x31, DeviceRegisters(Space.BYTES, bytes(range(8)), 8), None)
    bench.send(Outgoing(bytes(2), 0x31 << 16 | 4, F.READ, lane=3))
    rows = [row for row in heard(bench, 0.3) if row[1] >> 16 & 0xFFFF == 0x31]
    assert rows == [("bilge", 0x31 << 16 | 4, F.READ, b"\4\5")]
    bench.unplug("bilge", device)


def test_a_device_that_nobody_could_ask_is_not_played(bench):
    server = device_of(byte_map(), {}, "winch", connected=[bench])
    with pytest.raises(MisuseError, match="device 90 cannot be asked on this bus; 0 is the last one"):
        server.open()
    server.close()


def test_where_no_device_can_be_played_is_told(bench):
    assert host_lane("winch", (), [bench]) == (bench, "winch", False)
    host, lane, is_ours = host_lane("bench:yuzu", ("bilge",), [])
    assert (host.address.scheme, lane, is_ours) == ("bench", "bilge", True)
    for text, wanted, words in (
        ("udp://127.0.0.1:5", (), "can be played there"), ("thruster", (), "bilge, winch"),
        ("bench:yuzu", (), "on which lane"), ("shore=bench:yuzu", (), "no lane 'shore' for a device"),
    ):  # fmt: skip
        with pytest.raises(MisuseError) as told:
            host_lane(text, wanted, [bench] if text == "thruster" else [])
        assert words in str(told.value)
    with pytest.raises(MisuseError, match="over Modbus"):
        device_of(holding_map(), {}, "bench:yuzu")


def test_the_registers_of_a_map_are_served_as_it_says():
    layout = byte_map(past_end=PastEnd.WRAP, advances=False)
    made = registers_of(layout, {"level": parse_feed("258")})
    assert (made.count, made.advances, made.image[16:18]) == (0x1B, False, b"\1\2")
    assert made.numbers(0x1B, 1) == [0]
