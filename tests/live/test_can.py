"""CAN by SocketCAN, on the virtual bus of a kernel that runs as a process."""

import json
import sys

import numpy as np
import pytest

from tests.live.can_kernel import needs_kernel, run_in_kernel
from tests.steady import KEEPS_TIME
from zesty_abacus.core.captures.registry import read_recording
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.live.endpoint import Outgoing
from zesty_abacus.core.live.endpoints.can import unit_of
from zesty_abacus.core.live.errors import EndpointError

pytestmark = KEEPS_TIME

_COMMAND = f"{sys.executable} -m zesty_abacus"


def test_frames_are_those_of_the_kernel():
    # struct can_frame and canfd_frame of linux/can.h, on a machine with the low byte first
    if sys.byteorder == "little":
        assert unit_of(Outgoing(b"\x0c\x00", 0x1A0)).hex() == "a0010000" + "02000000" + "0c00" + "00" * 6
        assert unit_of(Outgoing(b"", 0x18FF0210, F.EXTENDED)).hex() == "1002ff98" + "00000000" + "00" * 8
        long = unit_of(Outgoing(bytes(12), 0x1A0, F.LONG | F.RATE_SWITCH))
        assert (len(long), long[:8].hex()) == (72, "a0010000" + "0c010000")


@pytest.mark.parametrize(
    ("payload", "address", "flags"),
    [(bytes(9), 1, 0), (bytes(13), 1, F.LONG), (b"", 0x800, 0), (b"", 1 << 29, F.EXTENDED), (b"", 1, F.LONG | F.REMOTE),
     (bytes(65), 1, F.LONG)],
)  # fmt: skip
def test_what_no_bus_carries_is_refused(payload, address, flags):
    if len(payload) == 9:
        with pytest.raises(EndpointError):
            unit_of(Outgoing(payload, address, flags))
        return
    with pytest.raises(EndpointError):
        unit_of(Outgoing(payload, address, flags))


@pytest.mark.parametrize(("address", "flags"), [(0, 0), (0x7FF, 0), (0, F.EXTENDED), (0x1FFF_FFFF, F.EXTENDED)])
def test_the_first_and_the_last_identifier_are_sent(address, flags):
    number = int.from_bytes(unit_of(Outgoing(b"\x01", address, flags))[:4], sys.byteorder)
    assert number == address | (0x8000_0000 if flags else 0)


@pytest.mark.parametrize(("address", "flags"), [(-1, 0), (0x800, 0), (-1, F.EXTENDED), (0x2000_0000, F.EXTENDED)])
def test_what_is_no_identifier_is_refused_in_words(address, flags):
    with pytest.raises(EndpointError, match=f"0x{address:X} does not fit {29 if flags else 11} bits"):
        unit_of(Outgoing(b"\x01", address, flags))


def _frames(path):
    tables = []
    read_recording(path, lambda chunk, _names: tables.append(chunk))
    return FrameTable.joined(tables).by_time()


_FLOOD = """
import json, sys, time
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.live.endpoint import Outgoing
from zesty_abacus.core.live.registry import endpoint_of

bus, busy = endpoint_of("can:vcan0"), endpoint_of("can:vcan0")
bus.open()
frames = []
for number in range(80_000):
    long = number % 3 == 2
    size = (12, 16, 64)[number % 9 // 3] if long else number % 9
    payload = bytes((number * 7 + place) & 255 for place in range(size))
    extended = number % 2
    flags = (F.EXTENDED if extended else 0) | (F.LONG | (F.RATE_SWITCH if number % 6 == 2 else 0) if long else 0)
    address = (number * 31 & 0x1FFFFFFF) if extended else number & 0x7FF
    frames.append(Outgoing(payload, address, flags))
begin = time.monotonic()
for number, frame in enumerate(frames):
    if number == 60_000:
        busy.open()
    bus.send(frame)
    if number % 80 == 79:
        time.sleep(max(begin + (number + 1) / 8_000 - time.monotonic(), 0))
sent = [[one.address, int(one.flags), one.payload.hex()] for one in frames]
outlasted = 0
while got := len(busy.receive(0.5)):
    outlasted += got
print("read after the flood", outlasted, "lost", busy.lost)
json.dump(sent, open(sys.argv[1], "w"))
"""


@needs_kernel
def test_every_frame_arrives_bit_for_bit_at_8000_a_second_for_10_s(kernel_folder):
    (kernel_folder / "flood.py").write_text(_FLOOD)
    said = run_in_kernel(
        kernel_folder,
        f"""
        {_COMMAND} record can:vcan0 -o {kernel_folder}/all.log 2> {kernel_folder}/said &
        recording=$!
        until grep -q recording {kernel_folder}/said; do sleep 0.1; done
        {_COMMAND} send can:vcan0 --frame 7FF#R
        {sys.executable} {kernel_folder}/flood.py {kernel_folder}/sent.json
        sleep 1
        kill -TERM $recording
        wait $recording
        """,
        sys.executable,
    )
    got, sent = _frames(kernel_folder / "all.log"), json.loads((kernel_folder / "sent.json").read_text())
    assert (int(got.address[0]), bool(got.flags[0] & F.REMOTE)) == (0x7FF, True)
    way = np.uint32(~(F.SENT | F.RECEIVED) & 0xFFFFFFFF)
    found = [
        [address, flags, got.payload_of(row)[:].hex()]
        for row, (address, flags) in enumerate(zip(got.address.tolist(), (got.flags & way).tolist(), strict=True))
    ]
    assert len(found) == len(sent) + 1, (kernel_folder / "said").read_text()
    assert [row for row, one in enumerate(sent, 1) if found[row] != one] == []
    # one that reads nothing meanwhile: on a machine that stands still for a second, everybody is like that
    assert "read after the flood 20000 lost 0" in said
    assert "lost" not in (kernel_folder / "said").read_text()
    assert (np.diff(got.time_ns) >= 0).all()


@needs_kernel
def test_a_bus_goes_down_and_comes_back_and_nothing_that_came_is_lost(kernel_folder):
    said = run_in_kernel(
        kernel_folder,
        f"""
        {_COMMAND} record can:vcan0 --until 'address == 0x7FF' -o {kernel_folder}/all.log 2> {kernel_folder}/said &
        recording=$!
        until grep -q recording {kernel_folder}/said; do sleep 0.1; done
        {_COMMAND} send can:vcan0 --frame 100#01
        sleep 0.3
        ip link set vcan0 down
        sleep 0.5
        {_COMMAND} send can:vcan0 --frame 100#02 || echo refused with $?
        ip link set vcan0 up
        until grep -q 'there again' {kernel_folder}/said; do sleep 0.1; done
        {_COMMAND} send can:vcan0 --frame 100#03
        {_COMMAND} send can:vcan0 --frame 7FF#
        wait $recording
        {_COMMAND} record can:vcan9 --for 1s -o {kernel_folder}/none.log || echo ended with $?
        """,
        sys.executable,
    )
    got = _frames(kernel_folder / "all.log")
    assert [got.payload_of(row) for row in range(len(got))] == [b"\1", b"\3", b""]
    told = (kernel_folder / "said").read_text()
    assert "vcan0 is down" in told
    assert "refused with 1" in said
    assert "there is no CAN interface vcan9" in said
    assert "ended with 1" in said


@needs_kernel
def test_a_cyclic_message_keeps_its_period_and_a_recording_goes_out_as_it_was(kernel_folder):
    run_in_kernel(
        kernel_folder,
        f"""
        {_COMMAND} record can:vcan0 -o {kernel_folder}/first.log 2> {kernel_folder}/said &
        recording=$!
        until grep -q recording {kernel_folder}/said; do sleep 0.1; done
        {_COMMAND} send can:vcan0 --frame 1A0#0C00 --every 20ms --for 1s
        sleep 0.5
        kill -INT $recording
        wait $recording
        {_COMMAND} record can:vcan0 -o {kernel_folder}/second.log 2> {kernel_folder}/said2 &
        recording=$!
        until grep -q recording {kernel_folder}/said2; do sleep 0.1; done
        {_COMMAND} replay {kernel_folder}/first.log --on vcan0=can:vcan0
        sleep 0.5
        kill -INT $recording
        wait $recording
        """,
        sys.executable,
    )
    first, second = _frames(kernel_folder / "first.log"), _frames(kernel_folder / "second.log")
    assert len(first) == len(second) == 50
    for table in (first, second):
        # the kernel within the kernel wakes when it can, often for two frames at once; a line through all times bends
        # little by some that were late, and much by a period that drifts
        period_ns, _ = np.polyfit(np.arange(50), table.time_ns - table.time_ns[0], 1)
        assert abs(period_ns / 1e6 - 20) < 1
