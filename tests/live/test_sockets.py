"""UDP, TCP and serial endpoints over real sockets and pseudo terminals."""

import contextlib
import os
import pty
import socket
import struct
import threading
import time
import tty

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.live.sockets import free_port, opened, taken
from tests.steady import KEEPS_TIME
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.live.endpoint import Outgoing
from zesty_abacus.core.live.errors import EndpointError, LinkDownError
from zesty_abacus.core.live.frame_datagram import MAGIC, SentFrame, pack_frame, unpack_frames
from zesty_abacus.core.live.registry import endpoint_of

pytestmark = KEEPS_TIME


def test_a_datagram_is_a_frame_with_its_time():
    port = free_port(socket.SOCK_DGRAM)
    with opened(f"udp://127.0.0.1:{port}?listen=1") as here, opened(f"udp://127.0.0.1:{port}") as there:
        before = time.time_ns()
        for payload in (b"one", b"", b"three" * 1000):
            there.send(Outgoing(payload))
        time.sleep(0.05)
        table = here.receive(1.0)
        assert [table.payload_of(row) for row in range(len(table))] == [b"one", b"", b"three" * 1000]
        assert (np.diff(table.time_ns) >= 0).all()
        # whether this is the kernel's time, earlier than when it was taken, is the kernel's business
        assert before <= table.time_ns[0] <= time.time_ns()
        here.send(Outgoing(b"back"))
        assert taken(there, bool) == [b"back"]


def test_who_listens_and_has_heard_nobody_cannot_answer():
    with opened(f"udp://127.0.0.1:{free_port(socket.SOCK_DGRAM)}?listen=1") as here, pytest.raises(EndpointError):
        here.send(Outgoing(b"hello"))


@pytest.mark.parametrize(
    ("address", "more"), [("udp://127.0.0.1:5005", "?listen=1"), ("udp://127.0.0.1:5005?form=frames", "&listen=1")]
)
def test_who_only_sends_hears_nothing_and_is_told_how_to_listen(address, more):
    endpoint = endpoint_of(address)
    with pytest.raises(MisuseError) as told:
        endpoint.check_hears()
    assert told.value.sentence == (f"{address}: nothing comes from where datagrams are sent. Write {address}{more}.")
    endpoint_of(address + more).check_hears()


def test_frames_in_datagrams_keep_time_lane_address_and_flags():
    port = free_port(socket.SOCK_DGRAM)
    frames = [
        SentFrame(-5, "thruster", 0x1A0, F.SENT, b"\1\2"),
        SentFrame(1 << 60, "näve", 0x18FF0210, F.EXTENDED | F.RECEIVED, bytes(64)),
    ]
    data = MAGIC + b"".join(map(pack_frame, frames))
    assert unpack_frames(data) == frames
    with opened(f"udp://127.0.0.1:{port}?listen=1&form=frames") as here:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as wire:
            wire.sendto(data, ("127.0.0.1", port))
            wire.sendto(b"not ours", ("127.0.0.1", port))
            wire.sendto(data[:-1], ("127.0.0.1", port))
        time.sleep(0.05)
        table = here.receive(1.0)
        names = [here.lanes[number].name for number in table.lane]
        found = [
            (int(t), name, int(a), int(f), table.payload_of(row))
            for row, (t, name, a, f) in enumerate(zip(table.time_ns, names, table.address, table.flags, strict=True))
        ]
        assert found == [tuple(one) for one in frames]
        assert here.lost == 2


def test_what_there_is_no_room_for_is_counted_also_where_nothing_comes_after_it():
    port, sent = free_port(socket.SOCK_DGRAM), 3000
    with opened(f"udp://127.0.0.1:{port}?listen=1") as here:
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as wire:
            for _ in range(sent):
                wire.sendto(bytes(60_000), ("127.0.0.1", port))
        got = 0
        while count := len(here.receive(0.1)):
            got += count
        assert 0 < got < sent
        assert here.lost == sent - got


def test_a_datagram_that_breaks_off_is_none():
    whole = MAGIC + pack_frame(SentFrame(1, "lane", 2, 3, b"payload"))
    assert [cut for cut in range(len(MAGIC) + 1, len(whole)) if unpack_frames(whole[:cut]) is not None] == []


def test_a_port_that_is_taken_is_told():
    port = free_port()
    with opened(f"tcp://127.0.0.1:{port}?listen=1"), pytest.raises(EndpointError, match="cannot be opened"):
        endpoint_of(f"tcp://127.0.0.1:{port}?listen=1").open()
    with pytest.raises(EndpointError, match="cannot be connected"):
        endpoint_of(f"tcp://127.0.0.1:{free_port()}").open()


def test_a_server_hears_several_clients_and_outlives_one_that_leaves():
    port = free_port()
    with opened(f"tcp://127.0.0.1:{port}?listen=1") as server:
        first = socket.create_connection(("127.0.0.1", port))
        with opened(f"tcp://127.0.0.1:{port}") as second:
            server.receive(0.1)
            first.sendall(b"from the first")
            assert b"".join(taken(server, bool)) == b"from the first"
            first.close()
            second.send(Outgoing(b"from the second"))
            assert b"".join(taken(server, bool)) == b"from the second"
            server.send(Outgoing(b"to all"))
            assert b"".join(taken(second, bool)) == b"to all"


def test_pieces_of_a_stream_joined_are_the_stream():
    port, data = free_port(), os.urandom(1 << 20)
    with opened(f"tcp://127.0.0.1:{port}?listen=1") as server, opened(f"tcp://127.0.0.1:{port}") as client:
        sender = threading.Thread(target=client.send, args=(Outgoing(data),))
        sender.start()
        got = taken(server, lambda payloads: sum(map(len, payloads)) >= len(data), 20)
        sender.join()
    assert b"".join(got) == data


def test_a_client_whose_server_leaves_is_down_and_can_be_opened_again():
    port = free_port()
    server = endpoint_of(f"tcp://127.0.0.1:{port}?listen=1")
    server.open()
    with opened(f"tcp://127.0.0.1:{port}") as client:
        server.receive(0.1)
        server.close()
        with pytest.raises(LinkDownError, match="closed"):
            for _ in range(50):
                client.receive(0.05)
        server.open()
        client.open()
        client.send(Outgoing(b"again"))
        assert b"".join(taken(server, bool)) == b"again"
        server.close()


def test_a_connection_that_is_reset_loses_nothing_that_had_come():
    port = free_port()
    with socket.create_server(("127.0.0.1", port)) as listener, opened(f"tcp://127.0.0.1:{port}") as client:
        there, _ = listener.accept()
        there.sendall(b"before")
        assert b"".join(taken(client, bool)) == b"before"
        # closed without a word of farewell, as by a router that was unplugged
        there.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))
        there.close()
        with pytest.raises(LinkDownError):
            for _ in range(50):
                client.receive(0.05)
        client.open()
        again, _ = listener.accept()
        again.sendall(b"after")
        assert b"".join(taken(client, bool)) == b"after"
        again.close()


def test_who_vanished_without_a_word_is_noticed_within_half_a_minute():
    port = free_port()
    with socket.create_server(("127.0.0.1", port)), opened(f"tcp://127.0.0.1:{port}") as client:
        [stream] = client._streams
        assert stream.getsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE) == 1
        idle, apart, tries = (
            stream.getsockopt(socket.IPPROTO_TCP, option)
            for option in (socket.TCP_KEEPIDLE, socket.TCP_KEEPINTVL, socket.TCP_KEEPCNT)
        )
        assert idle + apart * tries <= 30


@pytest.fixture
def terminal():
    master, slave = pty.openpty()
    tty.setraw(slave)
    yield master, os.ttyname(slave)
    for file in (master, slave):
        with contextlib.suppress(OSError):
            os.close(file)


def test_bytes_of_a_serial_port_both_ways(terminal):
    master, path = terminal
    with opened(f"serial:{path}?baud=19200&parity=E") as port:
        os.write(master, b"$YZHDG,123\r\n")
        assert b"".join(taken(port, bool)) == b"$YZHDG,123\r\n"
        port.send(Outgoing(bytes(range(256))))
        assert os.read(master, 1000) == bytes(range(256))


def test_a_port_that_is_pulled_is_told(terminal):
    master, path = terminal
    with opened(f"serial:{path}") as port:
        os.close(master)
        with pytest.raises(LinkDownError, match="is gone"):
            for _ in range(50):
                port.receive(0.05)


def test_a_port_that_is_not_there_is_told(tmp_path):
    with pytest.raises(EndpointError, match="cannot be opened"):
        endpoint_of(f"serial:{tmp_path / 'tty'}").open()


@given(st.lists(st.binary(max_size=120), min_size=1, max_size=6))
def test_frames_in_datagrams_survive_whatever_is_sent(datagrams):
    port = free_port(socket.SOCK_DGRAM)
    with opened(f"udp://127.0.0.1:{port}?listen=1&form=frames") as here, socket.socket(type=socket.SOCK_DGRAM) as wire:
        for datagram in datagrams:
            wire.sendto(datagram, ("127.0.0.1", port))
            wire.sendto(MAGIC + datagram, ("127.0.0.1", port))
        good = pack_frame(SentFrame(5, "", 1, F.RECEIVED, b"end"))
        wire.sendto(MAGIC + good, ("127.0.0.1", port))
        payloads = []
        while b"end" not in payloads:
            table = here.receive(1.0)
            table.check()
            assert len(table), "the last one has to come"
            payloads += [table.payload_of(row) for row in range(len(table))]
        assert len(here.lanes) <= 64
