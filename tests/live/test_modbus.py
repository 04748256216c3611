"""Modbus live: known answers of the specification, both roles against somebody else's program, and bad luck."""

import asyncio
import socket
import struct
import threading
import time
from contextlib import contextmanager, suppress

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pymodbus.client import ModbusTcpClient
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from tests.live.maps import coil_map, holding_map
from tests.live.sockets import free_port
from tests.steady import KEEPS_TIME
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.flags import flag_words
from zesty_abacus.core.layouts.model import Applies, RegisterMap, new_layout
from zesty_abacus.core.live.address import parse_endpoint
from zesty_abacus.core.live.device_registers import DeviceRegisters
from zesty_abacus.core.live.errors import EndpointError
from zesty_abacus.core.live.modbus import polling
from zesty_abacus.core.live.modbus.bank import RegisterBank
from zesty_abacus.core.live.modbus.blocks import Block, blocks_of
from zesty_abacus.core.live.modbus.errors import ExchangeError, NoAnswerError, RefusedError, WrongAnswerError
from zesty_abacus.core.live.modbus.opening import client_of, server_of
from zesty_abacus.core.live.modbus.poll import Poll, PollCounts
from zesty_abacus.core.live.modbus.readings import Readings
from zesty_abacus.core.live.modbus.requests import data_of_answer, read_request, write_request
from zesty_abacus.core.live.modbus.rtu import has_good_crc, with_crc
from zesty_abacus.core.live.modbus.server import RtuServer, TcpServer
from zesty_abacus.core.live.modbus.write import write_fields
from zesty_abacus.core.protocols.spaces import Space
from zesty_abacus.core.rehearse.device import registers_of
from zesty_abacus.core.rehearse.feed_words import parse_feed
from zesty_abacus.demo.layouts import make_field

pytestmark = KEEPS_TIME


def bank_of(layout, feeds, **more):
    """What a Modbus device with the registers of a map answers."""
    return RegisterBank(registers_of(layout, feeds, **more))


def test_requests_are_those_of_the_specification():
    # the examples of the Modbus Application Protocol V1.1b3, 6.1, 6.3, 6.4, 6.6, 6.11, 6.12, 6.5
    assert read_request(Space.COILS, 0x13, 0x13).hex() == "0100130013"
    assert read_request(Space.HOLDING, 0x6B, 3).hex() == "03006b0003"
    assert read_request(Space.INPUT, 8, 1).hex() == "0400080001"
    assert write_request(Space.HOLDING, 1, 1, b"\0\3").hex() == "0600010003"
    assert write_request(Space.COILS, 0x13, 10, b"\xcd\x01").hex() == "0f0013000a02cd01"
    assert write_request(Space.HOLDING, 1, 2, b"\0\x0a\1\2").hex() == "100001000204000a0102"
    assert write_request(Space.COILS, 0xAC, 1, b"\1").hex() == "0500acff00"


def test_a_unit_on_a_line_has_the_crc_of_the_specification():
    # MODBUS over Serial Line V1.02, the frame 02 07 with its CRC 41 12 (annex B)
    assert with_crc(b"\x02\x07").hex() == "02074112"
    assert has_good_crc(bytes.fromhex("02074112"))
    assert not has_good_crc(bytes.fromhex("02074113"))


@pytest.mark.parametrize(
    ("request_hex", "answer_hex", "data"),
    [("03006b0003", "0306022b00000064", "022b00000064"), ("0100130013", "0103cd6b05", "cd6b05"),
     ("0600010003", "0600010003", "0003"), ("1000010002040a0b0c0d", "1000010002", "0002")],
)  # fmt: skip
def test_answers_of_the_specification(request_hex, answer_hex, data):
    assert data_of_answer(bytes.fromhex(request_hex), bytes.fromhex(answer_hex)).hex() == data


@pytest.mark.parametrize(
    "answer_hex", ["", "03", "0304022b0000", "030602", "0406022b00000064", "0305022b000000", "8302ff"]
)
def test_what_answers_something_else_is_no_answer(answer_hex):
    with pytest.raises(WrongAnswerError):
        data_of_answer(bytes.fromhex("03006b0003"), bytes.fromhex(answer_hex))


def test_a_refusal_says_what_it_is():
    with pytest.raises(RefusedError, match=r"illegal address \(exception 2\)"):
        data_of_answer(bytes.fromhex("03006b0003"), b"\x83\x02")


def test_blocks_are_as_few_as_allowed_and_cut_no_field():
    (whole,) = blocks_of(holding_map())
    assert (whole.first, whole.count) == (2, 102)
    assert [(one.first, one.count) for one in whole.without_holes()] == [(2, 3), (20, 1), (100, 4)]
    assert blocks_of(coil_map()) == (Block(0, 19, ((0, 1), (3, 4), (9, 10), (18, 19))),)
    with pytest.raises(MisuseError, match="past the end"):
        blocks_of(holding_map(count=101))


@given(st.lists(st.tuples(st.integers(0, 900), st.integers(1, 8)), min_size=1, max_size=30))
def test_any_map_is_read_whole_within_the_limits(stretches):
    fields = [
        make_field(f"f{n}", f"R{first}..R{first + size - 1}" if size > 1 else f"R{first}", "bytes")
        for n, (first, size) in enumerate(stretches)
    ]
    layout = new_layout("m", Applies(protocol="modbus"), 2000, fields, registers=RegisterMap(count=1000))
    blocks = blocks_of(layout)
    assert all(1 <= block.count <= 125 and block.first + block.count <= 1000 for block in blocks)
    for first, size in stretches:
        assert any(block.first <= first and first + size <= block.first + block.count for block in blocks)


# a bank against a slow and plain one


class _PlainBank:
    """Registers as a list of numbers, with the checks in the order of the state diagrams of clause 6."""

    def __init__(self, count):
        self.registers = [0] * count

    def answer(self, request):
        function, count = request[0], len(self.registers)
        if function not in (3, 6, 16):
            return bytes((function | 0x80, 1))
        if (function == 16 and len(request) < 6) or (function != 16 and len(request) != 5):
            return bytes((function | 0x80, 3))
        first, number = struct.unpack(">HH", request[1:5])
        if function == 3:
            if not 1 <= number <= 125:
                return b"\x83\x03"
            if first + number > count:
                return b"\x83\x02"
            return bytes((3, 2 * number)) + b"".join(
                r.to_bytes(2, "big") for r in self.registers[first : first + number]
            )
        if function == 6:
            if first >= count:
                return b"\x86\x02"
            self.registers[first] = number
            return request
        if not 1 <= number <= 123 or request[5] != 2 * number or len(request) != 6 + 2 * number:
            return b"\x90\x03"
        if first + number > count:
            return b"\x90\x02"
        for place in range(number):
            self.registers[first + place] = int.from_bytes(request[6 + 2 * place : 8 + 2 * place], "big")
        return request[:5]


_numbers = st.integers(0, 40) | st.integers(0, 0xFFFF)
_requests = st.lists(
    st.one_of(
        st.builds(lambda a, b: struct.pack(">BHH", 3, a, b), _numbers, _numbers),
        st.builds(lambda a, b: struct.pack(">BHH", 6, a, b), _numbers, _numbers),
        st.builds(
            lambda a, d: struct.pack(">BHHB", 16, a, len(d), 2 * len(d)) + b"".join(x.to_bytes(2, "big") for x in d),
            _numbers,
            st.lists(st.integers(0, 0xFFFF), min_size=0, max_size=12),
        ),
        st.binary(min_size=1, max_size=12),
    ),
    max_size=30,
)


@given(_requests)
def test_a_bank_answers_as_a_plain_one_does(requests):
    ours, plain = RegisterBank(DeviceRegisters(Space.HOLDING, b"", 20)), _PlainBank(20)
    for request in requests:
        if request[0] not in (22, 23):
            assert ours.answer(request) == plain.answer(request), request.hex()
    assert ours.registers.image == b"".join(register.to_bytes(2, "big") for register in plain.registers)


def test_mask_write_and_read_with_write_are_those_of_the_specification():
    bank = RegisterBank(DeviceRegisters(Space.HOLDING, bytes(8) + b"\x00\x12", 16))
    # 6.16: register 4 is 12 hex, and-mask F2, or-mask 25 make 17 hex
    assert bank.answer(bytes.fromhex("16000400f20025")).hex() == "16000400f20025"
    assert bank.answer(bytes.fromhex("0300040001")).hex() == "03020017"
    # 6.17: the write comes before the read
    assert bank.answer(bytes.fromhex("1700040002000500010200ff")).hex() == "1704001700ff"


@pytest.mark.parametrize(
    ("space", "request_hex", "answer_hex"),
    [
        (Space.COILS, "0500030001", "8503"),
        (Space.COILS, "05000AFF00", "8502"),
        (Space.COILS, "0100000000", "8103"),
        (Space.COILS, "010000000B", "8102"),
        (Space.COILS, "0f00080003010f", "8f02"),
        (Space.DISCRETE, "0100000001", "8101"),
        (Space.INPUT, "0300000001", "8301"),
        (Space.INPUT, "0600000001", "8601"),
        (Space.HOLDING, "0400000001", "8401"),
        (Space.HOLDING, "2b0e0100", "ab01"),
    ],
)
def test_refusals(space, request_hex, answer_hex):
    bank = RegisterBank(DeviceRegisters(space, b"", 10))
    assert bank.answer(bytes.fromhex(request_hex)).hex() == answer_hex
    assert bank.registers.image == bytes(len(bank.registers.image)), "what is refused writes nothing"


# served and asked by ourselves


@contextmanager
def serving(bank, unit=1, text=""):
    text = text or f"modbus://127.0.0.1:{free_port()}/{unit}"
    server, stopped = server_of(text, unit, bank), threading.Event()
    server.open()
    thread = threading.Thread(target=server.serve, args=(stopped,))
    thread.start()
    try:
        yield text, server
    finally:
        stopped.set()
        thread.join()
        server.close()


def _values(poll, readings, rounds=1):
    found, troubles = {}, []
    for _ in range(rounds):
        for came in poll.round():
            if isinstance(came, Exception):
                troubles.append(str(came))
                continue
            for block in readings.of(came):
                for row in block.table().to_pylist():
                    found[row["field"]] = row["label"] or row["value"]
    return found, troubles


def test_what_a_device_is_given_is_what_a_poll_brings():
    layout = holding_map()
    feeds = {"level": parse_feed("-3.5"), "energy": parse_feed("70000"), "state": parse_feed("fault"),
             "name": parse_feed("PUMP-7")}  # fmt: skip
    with serving(bank_of(layout, feeds), 7) as (text, server):
        client = client_of(text, 1)
        values, troubles = _values(Poll(client, layout), Readings(layout, client.unit, "deck"))
        client.close()
    assert troubles == []
    assert values["level"] == -3.5
    assert values["energy"] == 70000
    assert values["state"] == "fault"
    assert values["name"].rstrip("\0") == "PUMP-7"
    assert server.counts.answered == 1


def test_a_device_that_refuses_holes_is_read_around_them():
    layout, bank = holding_map(), bank_of(holding_map(), {"energy": parse_feed("5")})
    plain = bank.answer

    def holey(request):
        first, count = struct.unpack(">HH", request[1:5])
        return bytes((request[0] | 0x80, 2)) if first <= 10 < first + count else plain(request)

    bank.answer = holey
    with serving(bank) as (text, server):
        client = client_of(text, 1)
        poll, readings = Poll(client, layout), Readings(layout, 1, "deck")
        values, troubles = _values(poll, readings, rounds=2)
        client.close()
    assert values["energy"] == 5
    assert troubles == []
    assert server.counts.refused == 1, "what is refused is not asked again"
    assert [block.count for block in poll.blocks] == [3, 1, 4]


def test_values_that_move_are_those_of_the_moment_and_others_keep_what_is_written():
    now = [0.0]
    bank = bank_of(holding_map(), {"level": parse_feed("ramp 0 to 10 in 10 s")}, clock=lambda: now[0])
    assert bank.answer(bytes.fromhex("0300020001")).hex() == "03020000"
    now[0] = 4.0
    bank.answer(bytes.fromhex("0600021234"))
    bank.answer(bytes.fromhex("0600140001"))
    assert bank.answer(bytes.fromhex("0300020001")).hex() == "03020028", "4.0 m in steps of 0.1"
    assert bank.answer(bytes.fromhex("0300140001")).hex() == "03020001"


def test_another_unit_is_told_that_nobody_is_there_and_nonsense_ends_the_connection():
    with serving(bank_of(holding_map(), {}), 3) as (text, server):
        port = parse_endpoint(text).port
        with socket.create_connection(("127.0.0.1", port)) as wire:
            wire.sendall(bytes.fromhex("000100000006040300020001"))
            assert wire.recv(100).hex() == "0001000000030483" + "0b"
            # in two pieces, two in one piece
            wire.sendall(bytes.fromhex("0002000000060303"))
            time.sleep(0.05)
            wire.sendall(bytes.fromhex("00020001" + "000300000006030300020001"))
            time.sleep(0.1)
            assert wire.recv(100).hex() == "00020000000503030200000003000000050303020000"
            wire.sendall(b"GET / HTTP/1.1\r\n\r\n")
            assert wire.recv(100) == b""
        assert (server.counts.answered, server.counts.others, server.counts.damaged) == (2, 1, 1)


def test_a_client_goes_through_late_wrong_and_missing_answers():
    port = free_port()
    listener = socket.create_server(("127.0.0.1", port))
    behaviours = iter(["late", "good", "other unit", "short", "exception", "hang up", "silent", "good"])

    def misbehave():
        wire = listener.accept()[0]
        for behaviour in behaviours:
            asked = wire.recv(100)
            while not asked:
                wire = listener.accept()[0]
                asked = wire.recv(100)
            head, unit, body = asked[:4], asked[6:7], bytes.fromhex("03020007")
            good = head + b"\0\5" + unit + body
            if behaviour == "late":
                time.sleep(0.5)
            if behaviour in ("late", "good"):
                wire.sendall(good)
            elif behaviour == "other unit":
                wire.sendall(head + b"\0\5" + b"\x63" + body)
            elif behaviour == "short":
                wire.sendall(head + b"\0\3" + unit + b"\x03\x00")
            elif behaviour == "exception":
                wire.sendall(head + b"\0\3" + unit + b"\x83\x06")
            elif behaviour == "hang up":
                wire.close()
                wire = listener.accept()[0]

    thread = threading.Thread(target=misbehave, daemon=True)
    thread.start()
    client = client_of(f"modbus://127.0.0.1:{port}/1?timeout=0.3", 1)
    client.open()
    request, outcomes = read_request(Space.HOLDING, 2, 1), []
    for _ in range(8):
        try:
            outcomes.append(client.ask(request).hex())
        except ExchangeError as error:
            outcomes.append(type(error).__name__)
            time.sleep(0.3)
        except Exception as error:
            outcomes.append(type(error).__name__)
            client.open()
    assert outcomes == ["NoAnswerError", "0007", "WrongAnswerError", "WrongAnswerError", "RefusedError",
                        "LinkDownError", "NoAnswerError", "0007"]  # fmt: skip
    seen = client.receive(0)
    words = [flag_words(int(flags)) for flags in seen.flags]
    assert words[:3] == ["unanswered", "", "answer"]
    assert words.count("answer exception") == 1
    assert {F.SENT & flags > 0 for flags in seen.flags.tolist()} == {True, False}
    client.close()
    listener.close()


# with somebody else on the other side


@contextmanager
def _foreign_server(values):
    """A server of another program, with some holding registers from 0."""
    port, ready, loop = free_port(), threading.Event(), asyncio.new_event_loop()
    held = {}

    async def serve():
        device = SimDevice(5, simdata=[SimData(0, values=values, datatype=DataType.REGISTERS)])
        held["server"] = ModbusTcpServer(device, address=("127.0.0.1", port))
        task = asyncio.ensure_future(held["server"].serve_forever(background=True))
        await task
        ready.set()
        while not held.get("over"):
            await asyncio.sleep(0.02)
        await held["server"].shutdown()

    thread = threading.Thread(target=lambda: loop.run_until_complete(serve()))
    thread.start()
    assert ready.wait(10)
    try:
        yield port
    finally:
        held["over"] = True
        thread.join(10)
        loop.close()


def test_our_client_reads_and_writes_a_server_of_somebody_else():
    values = list(range(1000, 1120))
    with _foreign_server(values) as port:
        client = client_of(f"modbus://127.0.0.1:{port}/5", 1)
        client.open()
        data = client.ask(read_request(Space.HOLDING, 10, 100))
        assert list(struct.unpack(">100H", data)) == values[10:110]
        client.ask(write_request(Space.HOLDING, 3, 2, b"\x12\x34\x56\x78"))
        client.ask(write_request(Space.HOLDING, 9, 1, b"\xab\xcd"))
        assert client.ask(read_request(Space.HOLDING, 3, 2)) == b"\x12\x34\x56\x78"
        assert client.ask(read_request(Space.HOLDING, 9, 1)) == b"\xab\xcd"
        with pytest.raises(RefusedError):
            client.ask(read_request(Space.HOLDING, 119, 5))
        client.close()


def test_our_server_is_read_and_written_by_a_client_of_somebody_else():
    with serving(bank_of(holding_map(), {"energy": parse_feed("70000")}), 9) as (text, _):
        client = ModbusTcpClient("127.0.0.1", port=parse_endpoint(text).port)
        assert client.connect()
        assert client.read_holding_registers(3, count=2, device_id=9).registers == [1, 4464]
        assert not client.write_registers(2, [7, 8, 9], device_id=9).isError()
        assert client.read_holding_registers(2, count=3, device_id=9).registers == [7, 8, 9]
        assert client.write_registers(119, [1, 2], device_id=9).exception_code == 2
        assert client.read_input_registers(0, count=1, device_id=9).exception_code == 1
        client.close()
    with serving(bank_of(coil_map(), {"valve 9": parse_feed("1")}), 1) as (text, _):
        client = ModbusTcpClient("127.0.0.1", port=parse_endpoint(text).port)
        client.connect()
        assert client.write_coil(18, True, device_id=1).bits[:1] == [True]
        bits = client.read_coils(0, count=19, device_id=1).bits[:19]
        assert [n for n, bit in enumerate(bits) if bit] == [9, 18]
        client.close()


# on a line


def test_a_device_on_a_line_is_polled(line):
    (here, there), damage = line
    layout = holding_map()
    feeds = {"level": parse_feed("12.5"), "name": parse_feed("ABCD")}
    options = "baud=115200&parity=E&speak=modbus"
    with serving(bank_of(layout, feeds), 17, f"serial:{there}?{options}&unit=17") as (_, server):
        client = client_of(f"serial:{here}?{options}&unit=17&timeout=0.5", 1)
        poll, readings = Poll(client, layout), Readings(layout, 17, "deck")
        values, troubles = _values(poll, readings)
        assert troubles == []
        assert values["level"] == 12.5
        assert values["name"].startswith("ABCD")
        # a broken request is not answered, and the next one is
        damage.append(0x10)
        with pytest.raises(NoAnswerError):
            client.ask(read_request(Space.HOLDING, 2, 1))
        time.sleep(0.1)
        assert client.ask(read_request(Space.HOLDING, 2, 1)) == b"\0\x7d"
        with pytest.raises(NoAnswerError):
            client.ask(read_request(Space.HOLDING, 2, 1), unit=18)
        client.ask(write_request(Space.HOLDING, 20, 1, b"\0\1"))
        assert client.ask(read_request(Space.HOLDING, 20, 1)) == b"\0\1"
        client.close()
        assert isinstance(server, RtuServer)
        assert server.counts.damaged == 1
        assert server.counts.others == 1


def test_only_what_is_modbus_is_asked_or_served():
    with pytest.raises(MisuseError, match="does not speak Modbus"):
        client_of("udp://127.0.0.1:5", 1)
    with pytest.raises(MisuseError, match="served over Modbus"):
        server_of("tcp://127.0.0.1:5", 1, RegisterBank(DeviceRegisters(Space.HOLDING, b"", 1)))
    assert isinstance(
        server_of("modbus://127.0.0.1:5", 1, RegisterBank(DeviceRegisters(Space.HOLDING, b"", 1))), TcpServer
    )


def test_fields_of_a_map_are_written_and_read_back():
    layout = holding_map()
    with serving(bank_of(layout, {"energy": parse_feed("70000"), "state": parse_feed("on")}), 5) as (text, _):
        client = client_of(text, 1)
        client.open()
        done = write_fields(client, layout, {"level": "-3.5", "state": "fault", "name": "PUMP-9"})
        assert [(one.first, one.count, one.data.hex()) for one in done] == [
            (2, 1, "ffdd"), (20, 1, "0007"), (100, 4, "50554d502d390000"),
        ]  # fmt: skip
        assert client.ask(read_request(Space.HOLDING, 3, 2)) == b"\0\1\x11\x70", "what was not given stays"
        client.close()


def test_a_field_that_shares_a_register_leaves_the_others_alone():
    fields = [make_field("low", "R0[7..0]"), make_field("high", "R0[15..8]")]
    layout = new_layout("M", Applies(protocol="modbus"), 4, fields, registers=RegisterMap(count=2))
    with serving(bank_of(layout, {"low": parse_feed("17"), "high": parse_feed("34")})) as (text, _):
        client = client_of(text, 1)
        client.open()
        write_fields(client, layout, {"high": "255"})
        assert client.ask(read_request(Space.HOLDING, 0, 1)).hex() == "ff11"
        client.close()


def test_a_device_that_keeps_something_else_is_told():
    layout = holding_map()
    bank = bank_of(layout, {"level": parse_feed("ramp 5 to 5 in 1 s")})
    with serving(bank) as (text, _):
        client = client_of(text, 1)
        client.open()
        with pytest.raises(EndpointError, match="level was written as 00 14, and the device holds 00 32"):
            write_fields(client, layout, {"level": "2"})
        for values, words in (({"depth": "1"}, "no field 'depth'"), ({"level": "99999"}, "does not fit")):
            with pytest.raises(MisuseError, match=words):
                write_fields(client, layout, values)
        with pytest.raises(MisuseError, match="cannot be written"):
            read_only = msgspec.structs.replace(layout, registers=RegisterMap(space=Space.INPUT, count=120))
            write_fields(client, read_only, {"level": "1"})
        client.close()


# whatever comes in


@given(st.lists(st.binary(min_size=1, max_size=300), min_size=1, max_size=4))
def test_a_server_survives_whatever_is_sent_to_it(pieces):
    bank = RegisterBank(DeviceRegisters(Space.HOLDING, bytes(range(40)), 20))
    with serving(bank) as (text, _):
        port = parse_endpoint(text).port
        with socket.create_connection(("127.0.0.1", port)) as wire:
            for piece in pieces:
                try:
                    wire.sendall(piece)
                except OSError:
                    break
        client = client_of(text, 1)
        client.open()
        assert client.ask(read_request(Space.HOLDING, 0, 2)) is not None
        client.close()


@given(st.binary(max_size=300))
def test_a_client_survives_whatever_answers_it(answer):
    listener = socket.create_server(("127.0.0.1", 0))
    port = listener.getsockname()[1]

    def reply():
        wire = listener.accept()[0]
        wire.recv(100)
        wire.sendall(answer)
        wire.close()

    thread = threading.Thread(target=reply)
    thread.start()
    client = client_of(f"modbus://127.0.0.1:{port}/1?timeout=0.2", 1)
    client.open()
    with suppress(EndpointError):
        client.ask(read_request(Space.HOLDING, 0, 2))
    client.close()
    thread.join()
    listener.close()


@given(st.binary(min_size=1, max_size=260))
def test_a_bank_answers_every_request_with_an_answer_or_an_exception(request_bytes):
    for space in (Space.HOLDING, Space.INPUT, Space.COILS, Space.DISCRETE):
        answer = RegisterBank(DeviceRegisters(space, b"", 30)).answer(request_bytes)
        assert answer[0] & 0x7F == request_bytes[0] & 0x7F or answer[0] == request_bytes[0] | 0x80
        assert len(answer) <= 253


def test_what_goes_wrong_is_told_once_until_it_is_something_else_or_goes_well_again(monkeypatch):
    refused, gone = EndpointError("it refuses"), EndpointError("it is gone")
    rounds = [[], [refused], [refused], [refused, gone], [gone], [], [], [gone]]
    over = threading.Event()

    class Rounds:
        counts = PollCounts()

        def __init__(self, *_arguments, **_how):
            self.left = iter(rounds)

        def round(self):
            came = next(self.left, None)
            if came is None:
                over.set()
            return came or []

    monkeypatch.setattr(polling, "Poll", Rounds)
    told = []
    running = polling.Polling(None, holding_map(), 0.001, told.append)
    assert over.wait(20)
    running.stop()
    assert told == ["it refuses", "it is gone", "", "it is gone", ""]
