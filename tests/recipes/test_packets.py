"""Packets that come in batches give the frames that they give at once, and none are held for ever."""

from __future__ import annotations

import random
import struct
from itertools import pairwise
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.links.test_network import ethernet, ip4, packets, tcp, udp
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.links.framing import Framing
from zesty_abacus.core.links.length_field import LengthFieldFraming
from zesty_abacus.core.links.modbus_tcp import ModbusTcpFraming
from zesty_abacus.core.links.network import NetworkFraming
from zesty_abacus.core.links.stream_order import StreamOrder, TcpPieces
from zesty_abacus.core.links.telegrams import LineEndFraming
from zesty_abacus.core.recipes.model import Recipe
from zesty_abacus.core.recipes.packets import PacketFramer, frames_of_packets

PORT = 502


def recipe(framing: Framing | None) -> Recipe:
    return Recipe(id=uuid4(), name="r", framing=framing)


def told(table: FrameTable) -> list[tuple]:
    """What a reader sees of frames, in an order that does not depend on how they came."""
    return sorted(
        (int(table.time_ns[n]), int(table.address[n]), int(table.flags[n]), table.payload_of(n))
        for n in range(len(table))
    )


def in_batches(framing: Framing | None, table: FrameTable, bounds: list[int]) -> tuple[FrameTable, tuple]:
    made: list[FrameTable] = []
    framer = PacketFramer(recipe(framing), made.append, batch_bytes=1)
    for first, last in pairwise(bounds):
        framer.add(table.rows(first, last))
    framer.finish()
    assert framer.frames == sum(map(len, made))
    return FrameTable.joined(made), framer.facts()


def network(seed: int, count: int = 60) -> FrameTable:
    """Some clients of one server: units asked for and answered in pieces that are swapped, doubled and lost."""
    chance = random.Random(seed)
    sent: list[bytes] = []
    asked = [0, 0, 0]
    told_back = [0, 0, 0]
    for client in range(3):
        sent.append(segment(client, back=False, at=-1, syn=True))
        sent.append(segment(client, back=True, at=-1, syn=True))
    for number in range(count):
        client = chance.randrange(3)
        read = struct.pack(">HHHBBHH", number, 0, 6, 1, 3, chance.randrange(100), 2)
        answer = struct.pack(">HHHBBB", number, 0, 7, 1, 3, 4) + chance.randbytes(4)
        for back, data, at in ((False, read, asked), (True, answer, told_back)):
            for piece in halves(chance, data):
                if chance.random() > 0.03:
                    sent.append(segment(client, back=back, at=at[client], data=piece))
                if chance.random() < 0.05:
                    sent.append(sent[-1])
                at[client] += len(piece)
        if chance.random() < 0.2:
            sent.append(ethernet(0x0800, ip4(17, udp(4000 + client, 7, chance.randbytes(3)))))
        if chance.random() < 0.2 and len(sent) > 8:
            sent[-1], sent[-2] = sent[-2], sent[-1]
    return packets(sent)


def halves(chance: random.Random, data: bytes) -> list[bytes]:
    cut = chance.randrange(len(data))
    return [data[:cut], data[cut:]] if cut and chance.random() < 0.4 else [data]


def segment(client: int, *, back: bool, at: int, data: bytes = b"", syn: bool = False) -> bytes:
    own, hosts = 40_000 + client, (b"\x0a\0\0\1", b"\x0a\0\0\2")
    begin = 0xFFFFFF80 if back else 5000
    ports, ends = ((PORT, own), hosts[::-1]) if back else ((own, PORT), hosts)
    said = 0x18 if not syn else 0x12 if back else 0x02
    return ethernet(0x0800, ip4(6, tcp(*ports, (begin + at) & 0xFFFFFFFF, data, said), *ends))


FRAMINGS = [
    None,
    NetworkFraming(port=7),
    ModbusTcpFraming(port=PORT),
    LengthFieldFraming(place=5, adds=6),
    LineEndFraming(),
]


@pytest.mark.parametrize("framing", FRAMINGS, ids=lambda one: type(one).__name__)
@given(seed=st.integers(0, 1 << 30), cuts=st.lists(st.integers(0, 1 << 30), max_size=6))
@settings(max_examples=25)
def test_batches_give_what_all_gives_at_once(framing, seed, cuts):
    table = network(seed)
    whole, facts = frames_of_packets(recipe(framing), table)
    # a connection begins in the first batch, and so is known for what it is
    bounds = sorted({0, len(table), *(6 + cut % (len(table) - 6) for cut in cuts)})
    found, counted = in_batches(framing, table, bounds)
    assert told(found) == told(whole)
    assert counted == facts
    found.check()


def test_a_hole_that_is_never_filled_lets_go_of_what_is_behind_it():
    rows = [(0, b"ab"), (2, b"cd"), (6, b"gh"), (8, b"ij")]
    order = StreamOrder(patience_ns=1000)
    made = [piece_of(order, time, 5 + at, data) for time, (at, data) in zip((0, 10, 20, 900), rows, strict=True)]
    assert [[one.payload_of(n) for n in range(len(one))] for one in made] == [[b"ab"], [b"cd"], [], []]
    late = piece_of(order, 1500, 5 + 10, b"kl")
    assert [late.payload_of(n) for n in range(len(late))] == [b"gh", b"ij", b"kl"]
    assert [bool(flag & F.LOST_BEFORE) for flag in late.flags] == [True, False, False]
    assert late.time_ns.tolist() == [20, 900, 1500]
    again = piece_of(order, 1600, 5 + 4, b"ef")
    assert not len(again) and order.sent_again == 1


def test_no_more_is_held_than_there_is_room_for():
    order = StreamOrder(most_held_bytes=100)
    piece_of(order, 0, 0, b"a")
    held = [piece_of(order, 10 + n, 10 + 30 * n, bytes(30)) for n in range(4)]
    assert [len(one) for one in held] == [0, 0, 0, 4]


def piece_of(order: StreamOrder, time: int, sequence: int, data: bytes) -> FrameTable:
    table = FrameTable(
        np.array([time], np.int64), np.zeros(1, np.uint16), np.array([7], np.int64), np.zeros(1, np.uint32),
        np.zeros(1, np.int64), np.array([len(data)], np.uint32), np.frombuffer(data, np.uint8),
    )  # fmt: skip
    return order.add(TcpPieces(table, np.array([sequence], np.int64), np.zeros(1, np.bool_)))


def test_a_request_without_an_answer_waits_and_then_goes_on():
    read = struct.pack(">HHHBBHH", 1, 0, 6, 1, 3, 100, 2)
    sent = packets(
        [segment(0, back=False, at=-1, syn=True)] + [segment(0, back=False, at=12 * n, data=read) for n in range(60)],
        step_ns=1_000_000_000,
    )
    made: list[FrameTable] = []
    framer = PacketFramer(recipe(ModbusTcpFraming(port=PORT)), made.append, batch_bytes=1)
    for row in range(40):
        framer.add(sent.rows(row, row + 1))
    # those of the last thirty seconds wait for their answers
    assert framer.frames == 9
    assert all(int(flag) & F.UNANSWERED for one in made for flag in one.flags)


def test_a_connection_that_opens_the_other_way_later_is_another_one():
    plain = ethernet(0x0800, ip4(6, tcp(6000, 7000, 10, b"q")))
    opened = ethernet(0x0800, ip4(6, tcp(6000, 7000, 90, flags=0x02)))
    after = ethernet(0x0800, ip4(6, tcp(6000, 7000, 91, b"r")))
    found, _ = in_batches(None, packets([plain, opened, after]), [0, 1, 2, 3])
    assert [int(address) >> 32 for address in found.address] == [6000, 7000]
    assert len({int(address) & 0xFFFFFFFF for address in found.address}) == 2
