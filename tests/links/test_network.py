"""Packets of Ethernet, IPv4, IPv6, UDP and TCP, and of Bluetooth LE, taken apart and put in order."""

import itertools
import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.links.network import streams


def packets(datas, link=1, step_ns=1_000_000):
    sizes = np.array([len(data) for data in datas], np.uint32)
    return FrameTable(
        np.arange(len(datas), dtype=np.int64) * step_ns,
        np.zeros(len(datas), np.uint16),
        np.full(len(datas), link, np.int64),
        np.full(len(datas), F.PACKET, np.uint32),
        (np.cumsum(sizes) - sizes).astype(np.int64),
        sizes,
        np.frombuffer(b"".join(datas), np.uint8),
    )


def ip4(protocol, payload, source=b"\x0a\0\0\1", target=b"\x0a\0\0\2", flags=0x4000):
    return struct.pack(">BBHHHBBH", 0x45, 0, 20 + len(payload), 1, flags, 64, protocol, 0) + source + target + payload


def ip6(protocol, payload, options=b""):
    head = struct.pack(">IHBB", 6 << 28, len(options) + len(payload), 0 if options else protocol, 64)
    return head + bytes(15) + b"\1" + bytes(15) + b"\2" + options + payload


def ethernet(kind, payload, tag=False):
    return bytes(12) + (b"\x81\x00\x00\x05" if tag else b"") + struct.pack(">H", kind) + payload


def udp(source, target, data):
    return struct.pack(">HHHH", source, target, 8 + len(data), 0) + data


def tcp(source, target, sequence, data=b"", flags=0x18):
    return struct.pack(">HHIIBBHHH", source, target, sequence & 0xFFFFFFFF, 0, 5 << 4, flags, 100, 0, 0) + data


def pieces(datas, link=1):
    table = streams(packets(datas, link)).frames
    table.check()
    return [(int(table.address[n]) >> 32, int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


@pytest.mark.parametrize(
    "wrap",
    [
        lambda data: ethernet(0x0800, ip4(17, data)),
        lambda data: ethernet(0x0800, ip4(17, data), tag=True),
        lambda data: ethernet(0x86DD, ip6(17, data)),
        lambda data: ethernet(0x86DD, ip6(17, data, options=b"\x11\0" + bytes(6))),
        lambda data: ethernet(0x86DD, ip6(17, data, options=b"\x11\1" + bytes(14))),
        lambda data: ethernet(0x86DD, ip6(17, data, options=b"\x2b\2" + bytes(22) + b"\x11\0" + bytes(6))),
        lambda data: ethernet(0x0800, ip4(17, data)) + bytes(20),
    ],
    ids=["ipv4", "tagged", "ipv6", "ipv6 with options", "longer options", "two headers", "padded"],
)
def test_datagrams_by_every_road(wrap):
    found = pieces([wrap(udp(40_000, 5000, b"hello")), wrap(udp(5000, 40_000, b"back"))])
    assert [(port, payload) for port, _, payload in found] == [(5000, b"hello"), (5000, b"back")]


def test_what_stands_behind_a_packet_is_none_of_it_and_what_is_missing_is_told():
    data = ip6(17, udp(40_000, 5000, b"hello"))
    assert pieces([ethernet(0x86DD, data + bytes(7))]) == pieces([ethernet(0x86DD, data)]) == [(5000, 0, b"hello")]
    assert pieces([ethernet(0x86DD, data[:-2])]) == [(5000, F.CUT_SHORT, b"hel")]


def test_bare_ip_and_cooked_packets():
    data = udp(40_000, 5000, b"x")
    assert pieces([ip4(17, data), ip6(17, data)], link=101)[0][2] == b"x"
    cooked = bytes(14) + struct.pack(">H", 0x0800)
    assert pieces([cooked + ip4(17, data)], link=113)[0][2] == b"x"


def stream(parts, begin=1000):
    """Return packets of one connection: (from the server, place in the stream, bytes)."""
    opened = [tcp(40_000, 502, begin - 1, flags=0x02), tcp(502, 40_000, 500 - 1, flags=0x12)]
    sent = [
        tcp(502, 40_000, 500 + at, data) if back else tcp(40_000, 502, begin + at, data) for back, at, data in parts
    ]
    hosts = {502: b"\x0a\0\0\2", 40_000: b"\x0a\0\0\1"}
    return [
        ethernet(0x0800, ip4(6, data, hosts[int.from_bytes(data[:2], "big")], hosts[int.from_bytes(data[2:4], "big")]))
        for data in [*opened, *sent]
    ]


def test_segments_are_put_in_order_doubles_dropped_and_holes_marked():
    found = pieces(stream([
        (False, 0, b"abc"), (False, 5, b"fg"), (False, 3, b"de"), (False, 0, b"abcde"), (True, 0, b"ok"),
        (False, 9, b"jk"),
    ]))  # fmt: skip
    client = [(flags, payload) for _, flags, payload in found if not flags & F.ANSWER]
    assert client == [(0, b"abc"), (0, b"de"), (0, b"fg"), (F.LOST_BEFORE, b"jk")]
    assert [payload for _, flags, payload in found if flags & F.ANSWER] == [b"ok"]
    facts = {
        fact.name: int(fact.value) for fact in streams(packets(stream([(False, 0, b"a"), (False, 0, b"a")]))).facts
    }
    assert facts["sent again"] == 1


def test_a_piece_is_there_only_once_the_hole_before_it_is_filled():
    table = streams(packets(stream([(False, 3, b"def"), (False, 0, b"abc")]))).frames
    assert b"".join(table.payload_of(n) for n in range(len(table))) == b"abcdef"
    assert (np.diff(table.time_ns) >= 0).all() and table.time_ns[0] == 3_000_000


@given(st.binary(min_size=1, max_size=200), st.data())
def test_any_order_of_segments_gives_the_stream(data, draw):
    begin = draw.draw(st.sampled_from([1000, 0xFFFFFFF0]), "begin near the wrap of the numbers")
    cuts = sorted({0, len(data), *draw.draw(st.lists(st.integers(0, len(data)), max_size=8))})
    parts = [(False, a, data[a:b]) for a, b in itertools.pairwise(cuts)]
    repeated = parts + draw.draw(st.lists(st.sampled_from(parts), max_size=4))
    order = draw.draw(st.permutations(repeated))
    found = pieces(stream(order, begin))
    assert b"".join(payload for _, _, payload in found) == data
    assert not any(flags & F.LOST_BEFORE for _, flags, _ in found)


@pytest.mark.parametrize(("hosts", "place"), [(8, place) for place in range(8)] + [(32, place) for place in range(32)])
def test_hosts_that_differ_in_any_byte_have_connections_of_their_own(hosts, place):
    def packet(both, data):
        head = ip4(6, data) if hosts == 8 else ip6(6, data)
        return ethernet(0x0800 if hosts == 8 else 0x86DD, head[: -len(data) - hosts] + both + data)

    both = bytes(range(1, hosts + 1))
    other = both[:place] + b"\xee" + both[place + 1 :]
    table = streams(packets([packet(who, tcp(6000, 502, 10, b"q")) for who in (both, other, both)])).frames
    first, second = (int(address) for address in table.address[:2])
    assert first != second
    # what one of them sent again is dropped; were they one, the other's would have been
    assert [table.payload_of(row) for row in range(len(table))] == [b"q", b"q"]


def test_connections_stay_apart_and_the_server_is_known_by_who_opened():
    first = ethernet(0x0800, ip4(6, tcp(6000, 7000, 9, flags=0x02)))
    data = ethernet(0x0800, ip4(6, tcp(6000, 7000, 10, b"q")))
    back = ethernet(0x0800, ip4(6, tcp(7000, 6000, 50, b"r"), b"\x0a\0\0\2", b"\x0a\0\0\1"))
    other = ethernet(0x0800, ip4(6, tcp(6001, 7000, 10, b"z")))
    table = streams(packets([first, data, back, other])).frames
    assert {int(a) >> 32 for a in table.address[:2]} == {7000}
    assert [bool(f & F.ANSWER) for f in table.flags[:2]] == [False, True]
    assert len({int(a) for a in table.address}) == 2


def test_fragments_and_strangers_are_counted():
    whole = udp(1, 2, b"x")
    datas = [
        ethernet(0x0800, ip4(17, whole, flags=0x2000)),
        ethernet(0x0806, bytes(28)),
        ethernet(0x0800, ip4(17, whole)),
    ]
    facts = {fact.name: int(fact.value) for fact in streams(packets(datas)).facts}
    assert facts["fragments"] == 1 and facts["of another kind"] == 1 and facts["packets"] == 3


def test_only_what_there_is_is_told_besides_packets():
    def told(*datas):
        return [(fact.name, fact.value, fact.words) for fact in streams(packets(list(datas))).facts]

    datagram = ethernet(0x0800, ip4(17, udp(1, 2, b"x")))
    assert told(ethernet(0x0806, bytes(28))) == [("packets", 1.0, "1"), ("of another kind", 1.0, "1")]
    assert told(datagram, datagram) == [("packets", 2.0, "2")] and told(b"") == [
        ("packets", 1.0, "1"),
        ("of another kind", 1.0, "1"),
    ]
    hole = stream([(False, 0, b"a"), (False, 0, b"a"), (False, 9, b"b")])
    assert told(*hole)[1:] == [("sent again", 1.0, "1"), ("holes in streams", 1.0, "1")]
    nothing = streams(packets([datagram]).chosen(np.zeros(0, np.int64)))
    assert [(fact.name, fact.words) for fact in nothing.facts] == [("packets", "0")]


def crc24(data):
    """CRC of the Bluetooth LE link layer, one shift register bit after another (Core 5.4, volume 6, part B, 3.1.1)."""
    state = 0x555555
    for byte in data:
        for n in range(8):
            out = state >> 23 & 1
            state = state << 1 & 0xFFFFFF
            if out ^ (byte >> n & 1):
                state ^= 0x00065B
    return bytes(int(f"{state >> (16 - 8 * n) & 0xFF:08b}"[::-1], 2) for n in range(3))


def test_bluetooth_le_packets():
    access, pdu = bytes.fromhex("d6be898e"), bytes.fromhex("420b") + bytes(range(11))
    packet = access + pdu + crc24(pdu)
    for link, data in ((251, packet), (256, bytes(10) + packet)):
        table = streams(packets([data, data[:-1] + b"\0", data[:-6]], link)).frames
        assert int(table.address[0]) == 0x8E89BED6 and table.payload_of(0) == pdu
        assert table.flags.tolist() == [0, F.BAD_CHECK, F.CUT_SHORT]


@given(st.lists(st.binary(max_size=80), max_size=6), st.sampled_from([1, 101, 113, 251, 256]))
def test_any_packets_do_no_harm(datas, link):
    for data in datas:
        pieces([data], link)
    pieces(datas, link)


@given(st.lists(st.binary(max_size=60), min_size=1, max_size=6))
def test_headers_that_lie_about_their_lengths_do_no_harm(tails):
    pieces([ethernet(0x0800, b"\x45" + tail) for tail in tails])
    pieces([ethernet(0x86DD, b"\x60" + tail) for tail in tails])
