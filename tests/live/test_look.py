"""Unknown Modbus devices: who answers, and what can be read."""

import threading
from contextlib import contextmanager
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.live.sockets import free_port
from tests.steady import KEEPS_TIME
from zesty_abacus.core.live.address import parse_endpoint
from zesty_abacus.core.live.device_registers import DeviceRegisters
from zesty_abacus.core.live.modbus.bank import RegisterBank
from zesty_abacus.core.live.modbus.errors import ILLEGAL_ADDRESS, NoAnswerError, RefusedError
from zesty_abacus.core.live.modbus.look import Stretch, look_for_registers, look_for_units
from zesty_abacus.core.live.modbus.requests import READS
from zesty_abacus.core.live.modbus.server import RtuServer, TcpServer
from zesty_abacus.core.progress import Cancelled, Progress
from zesty_abacus.core.protocols.spaces import Space

pytestmark = KEEPS_TIME


class Holes:
    """A device that has only some registers, without a line between."""

    unit = 1

    def __init__(self, there):
        self.there, self.asked = there, 0

    def ask(self, request, unit=None):
        self.asked += 1
        space = next(space for space, function in READS.items() if function == request[0])
        first, count = int.from_bytes(request[1:3], "big"), int.from_bytes(request[3:5], "big")
        if space not in self.there:
            raise NoAnswerError("nothing")
        if not set(range(first, first + count)) <= self.there[space]:
            raise RefusedError(ILLEGAL_ADDRESS)
        return bytes(2 * count)


@settings(max_examples=40)
@given(st.sets(st.integers(0, 299), max_size=40), st.integers(1, 300))
def test_every_register_that_can_be_read_is_found_and_no_other(there, most):
    device = Holes({Space.HOLDING: there})
    found = look_for_registers(device, most)
    assert {one.space for one in found} <= {Space.HOLDING}
    numbers = [number for one in found for number in range(one.first, one.first + one.count)]
    assert numbers == sorted(number for number in there if number < most)
    assert all(one.first + one.count < other.first for one, other in pairwise(found)), "joined"


class Coils:
    """A device of 300 coils, of which one moves with every round."""

    unit, moving = 1, 200

    def __init__(self):
        self.round = 0

    def ask(self, request, unit=None):
        if request[0] != READS[Space.COILS]:
            raise NoAnswerError("nothing")
        first, count = int.from_bytes(request[1:3], "big"), int.from_bytes(request[3:5], "big")
        if first + count > 300:
            raise RefusedError(ILLEGAL_ADDRESS)
        self.round += 1
        bits = sum(
            1 << n for n in range(count) if (first + n) % 3 == 0 or (first + n == self.moving and self.round % 2)
        )
        return bits.to_bytes(-(-count // 8), "little")


def test_bits_of_several_reads_keep_their_places():
    (found,) = look_for_registers(Coils(), 300, 4, 0.0)
    assert (found.space, found.first, found.count, found.moved) == (Space.COILS, 0, 300, 1)


@contextmanager
def _served(server):
    stopped = threading.Event()
    server.open()
    thread = threading.Thread(target=server.serve, args=(stopped,))
    thread.start()
    yield
    stopped.set()
    thread.join()
    server.close()


def _moving(image):
    image[5] = (image[5] + 1) & 0xFF


def test_a_unit_behind_tcp_is_found_with_what_moves():
    port = free_port()
    bank = RegisterBank(DeviceRegisters(Space.HOLDING, bytes(20), 10, refresh=_moving))
    found = []
    with _served(TcpServer(parse_endpoint(f"modbus://127.0.0.1:{port}"), 3, bank)):
        made = look_for_units(
            f"modbus://127.0.0.1:{port}", range(1, 6),
            found=lambda _text, client: found.append((client.unit, look_for_registers(client, 30, 3, 0.01))),
        )  # fmt: skip
    assert made == [f"modbus://127.0.0.1:{port}/3?timeout=0.2"]
    assert found == [(3, (Stretch(Space.HOLDING, 0, 10, 1),))]
    assert found[0][1][0].words == "holding registers 0..9, 1 moved"


def test_a_serial_line_that_says_no_speed_is_tried_and_the_unit_named(line):
    (here, there), _ = line
    bank = RegisterBank(DeviceRegisters(Space.INPUT, bytes(8), 4))
    found = []
    with _served(RtuServer(parse_endpoint(f"serial:{there}?baud=9600&parity=E&speak=modbus"), 7, bank)):
        made = look_for_units(
            f"serial:{here}", (6, 7), found=lambda _text, client: found.append(look_for_registers(client, 8))
        )  # fmt: skip
    assert made == [f"serial:{here}?speak=modbus&baud=9600&parity=E&timeout=0.2&unit=7"]
    assert found == [(Stretch(Space.INPUT, 0, 4),)]


def test_where_nobody_answers_every_usual_way_was_tried(line):
    (here, _), _ = line
    asked = []
    progress = Progress(lambda _share, note: asked.append(note))
    assert look_for_units(f"serial:{here}?baud=9600&timeout=0.01", [1], progress) == []
    assert [note.partition("parity=")[2][:1] for note in asked] == ["E", "N", "O"]


def test_it_can_be_cancelled():
    progress = Progress()
    progress.cancel()
    port = free_port()
    server = TcpServer(
        parse_endpoint(f"modbus://127.0.0.1:{port}"), 1, RegisterBank(DeviceRegisters(Space.HOLDING, b"", 1))
    )
    with _served(server), pytest.raises(Cancelled):
        look_for_units(f"modbus://127.0.0.1:{port}", [1, 2], progress)
