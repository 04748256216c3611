"""Streams cut into telegrams: by length fields, codes, line ends; each stream by itself, and holes in between."""

from __future__ import annotations

import csv
import io
import itertools
import json
import struct
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.cli.program import run
from tests.links.test_telegrams import bytes_result
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.links.framing import framing_of
from zesty_abacus.core.links.hdlc import HdlcFraming
from zesty_abacus.core.links.length_field import LengthFieldFraming
from zesty_abacus.core.links.telegrams import CodeFraming, LengthFraming, LineEndFraming
from zesty_abacus.core.recipes.model import Recipe
from zesty_abacus.core.recipes.packets import StreamTelegrams
from zesty_abacus.core.recipes.run import run_on_frames


def table_of(*pieces):
    """Return pieces: (time in ms, address, flags, data)."""
    payload = np.frombuffer(b"".join(piece[3] for piece in pieces), np.uint8)
    sizes = np.array([len(piece[3]) for piece in pieces])
    return FrameTable(
        np.array([piece[0] * 1_000_000 for piece in pieces], np.int64), np.zeros(len(pieces), np.uint16),
        np.array([piece[1] for piece in pieces], np.int64), np.array([piece[2] for piece in pieces], np.uint32),
        np.cumsum(sizes) - sizes, sizes.astype(np.uint32), payload,
    )  # fmt: skip


def telegrams_of(settings, *groups):
    table = framing_of(settings).apply(settings, bytes_result(groups)).frames
    return [(table.payload_of(n), int(table.flags[n])) for n in range(len(table))]


def sized(body, *, width=1, low=False, adds=0):
    return (len(body) + width - adds).to_bytes(width, "little" if low else "big") + body


@given(st.lists(st.binary(max_size=40), min_size=1, max_size=12), st.sampled_from([(1, False), (2, False), (2, True)]),
       st.integers(-1, 3))  # fmt: skip
def test_a_length_field_says_where_each_telegram_ends(bodies, shape, adds):
    width, low = shape
    sent = [sized(b"\x00\x00\x00" + body, width=width, low=low, adds=adds) for body in bodies]
    found = telegrams_of(LengthFieldFraming(width=width, low_first=low, adds=adds), b"".join(sent))
    assert found == [(one, 0) for one in sent]


def test_a_code_and_a_length_further_inside():
    sent = [b"\xaa\x55\x07" + bytes((len(body),)) + body + b"\x99" for body in (b"", b"abc", b"\xaa\x55", b"x" * 30)]
    settings = LengthFieldFraming(begin="AA 55", place=3, adds=5)
    assert telegrams_of(settings, b"".join(sent)) == [(one, 0) for one in sent]
    noisy = telegrams_of(settings, b"\x01\x02" + sent[1] + b"\x03" + sent[3][:10])
    assert noisy == [(b"\x01\x02", F.FRAMING), (sent[1], 0), (b"\x03", F.FRAMING), (sent[3][:10], F.CUT_SHORT)]


def test_a_length_that_cannot_be_is_marked_and_the_rest_is_found():
    settings = LengthFieldFraming(begin="AA", place=1, adds=-5)
    found = telegrams_of(settings, b"\xaa\x01\xff" + b"\xaa\x09\x01\x02")
    assert found == [(b"\xaa\x01\xff", F.FRAMING), (b"\xaa\x09\x01\x02", 0)]


@pytest.mark.parametrize("changes", [{"place": -1}, {"width": 0}, {"width": 5}, {"begin": "A"}, {"begin": "xy"}])
def test_what_a_length_field_cannot_be(changes):
    with pytest.raises(MisuseError):
        telegrams_of(LengthFieldFraming(**changes), b"abc")


def test_a_length_field_is_proposed_where_it_holds_all_the_way():
    random = np.random.default_rng(4)
    sent = [b"\x7e" + bytes((size,)) + random.bytes(size) for size in random.integers(2, 60, 40)]
    settings, score, reason = framing_of(LengthFieldFraming()).judge(bytes_result([b"".join(sent)]))
    assert (settings.place, settings.adds, settings.begin) == (1, 2, "7E") and score > 0.7
    assert reason == "byte 1 says how long each telegram is, all the way through"
    assert framing_of(LengthFieldFraming()).judge(bytes_result([random.bytes(3000)])) is None


# streams


def telegrams(settings, pieces, batches=1):
    """Return the telegrams of streams whose pieces come in so many batches, in order of time."""
    made = []
    framer = StreamTelegrams(Recipe(id=uuid4(), name="r", framing=settings), made.append)
    bounds = [len(pieces) * n // batches for n in range(batches + 1)]
    for first, last in itertools.pairwise(bounds):
        framer.add(pieces.rows(first, last), ends=last == len(pieces))
    table = FrameTable.joined(made)
    return table.by_time()


def test_every_stream_is_cut_by_itself():
    """Two connections and both ways in turns: a telegram begun in one goes on in the same one."""
    one, two = 5000 << 32 | 1, 5000 << 32 | 2
    pieces = table_of(
        (10, one, 0, b"GET 1"), (20, two, 0, b"GET 2\nGE"), (30, one, F.ANSWER, b"it is 7\n"),
        (40, one, 0, b"\nGET 3\n"), (50, two, 0, b"T 4\n"),
    )  # fmt: skip
    table = telegrams(LineEndFraming(), pieces)
    table.check()
    found = [(int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]
    assert found == [
        (one, 0, b"GET 1"), (two, 0, b"GET 2"), (two, 0, b"GET 4"), (one, F.ANSWER, b"it is 7"), (one, 0, b"GET 3"),
    ]  # fmt: skip
    assert table.time_ns.tolist() == sorted(table.time_ns.tolist())


def test_a_hole_in_a_stream_ends_what_it_was_in():
    address = 5000 << 32 | 1
    pieces = table_of((0, address, 0, b"\x03ab\x03"), (10, address, F.LOST_BEFORE, b"\x02x\x01"))
    settings = LengthFieldFraming(adds=0)
    table = telegrams(settings, pieces)
    found = [(table.payload_of(n), int(table.flags[n])) for n in range(len(table))]
    assert found == [(b"\x03ab", 0), (b"\x03", F.CUT_SHORT), (b"\x02x", F.LOST_BEFORE), (b"\x01", 0)]


@pytest.mark.parametrize(
    ("settings", "sent"),
    [
        (LengthFraming(length=4), [b"abcd", b"efgh"]),
        (CodeFraming(begin="02", end="03"), [b"\x02ab\x03", b"\x02c\x03"]),
        (LineEndFraming(), [b"one", b"two"]), (LengthFieldFraming(adds=1), [b"\x02ab", b"\x03abc"]),
    ],
)  # fmt: skip
def test_the_ways_of_bytes_are_the_ways_of_streams(settings, sent):
    data = b"\n".join([*sent, b""]) if isinstance(settings, LineEndFraming) else b"".join(sent)
    pieces = table_of(*((n * 10, 9 << 32, 0, data[n : n + 3]) for n in range(0, len(data), 3)))
    table = telegrams(settings, pieces)
    assert [table.payload_of(n) for n in range(len(table))] == sent


def test_no_stream_gives_no_telegram():
    assert len(telegrams(LineEndFraming(), FrameTable.empty())) == 0


def test_a_framing_that_does_not_take_what_it_is_given_says_so():
    packet = table_of((0, 1, F.PACKET, b"\0" * 60))
    recipe = Recipe(id=uuid4(), name="r", framing=HdlcFraming())
    with pytest.raises(MisuseError, match="takes bits, and this recording holds packets"):
        run_on_frames(recipe, packet)


# from the file to the table


def tcp_packet(source, target, sequence, data):
    """An Ethernet frame with IPv4 (RFC 791) and TCP (RFC 9293)."""
    tcp = struct.pack(">HHIIBBHHH", source, target, sequence, 0, 0x50, 0x18, 1024, 0, 0) + data
    ip = struct.pack(
        ">BBHHHBBH4s4s", 0x45, 0, 20 + len(tcp), 0, 0, 64, 6, 0, bytes((10, 0, 0, 1)), bytes((10, 0, 0, 2))
    )
    return bytes(12) + b"\x08\x00" + ip + tcp


def test_a_capture_of_a_network_is_proposed_framed_and_read(tmp_path):
    random = np.random.default_rng(8)
    sent = [b"\xa5" + bytes((size,)) + random.bytes(size) for size in random.integers(3, 50, 60)]
    data, packets, at = b"".join(sent), [], 0
    while at < len(data):
        step = int(random.integers(1, 120))
        packets.append(tcp_packet(40000, 7001, 1000 + at, data[at : at + step]))
        at += step
    path = tmp_path / "box.pcap"
    head = struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, 1)
    rows = [struct.pack("<IIII", 1, n, len(one), len(one)) + one for n, one in enumerate(packets)]
    path.write_bytes(head + b"".join(rows))
    recipe = tmp_path / "box.json"
    code, _, err = run("recipe", path, "-o", recipe)
    assert code == 0 and "says how long each telegram is" in err, err
    assert json.loads(recipe.read_text())["recipes"][0]["framing"]["way"] == "length field"
    code, out, err = run("frames", path, "--recipe", recipe)
    rows = list(csv.DictReader(io.StringIO(out)))
    assert code == 0 and [bytes.fromhex(row["payload"]) for row in rows] == sent, err
    assert all("7001" in row["words"] for row in rows)


def test_a_table_of_frames_says_read_and_answer_and_is_read_again(tmp_path):
    table = tmp_path / "frames.csv"
    table.write_text(
        "time_ns,lane,address,direction,flags,size,payload\n"
        "1000,bus,10,,read,1,01\n2000,bus,4000,sent,answer not_acknowledged,2,0102\n3000,bus,10,,funny,1,03\n"
    )
    code, out, err = run("frames", table)
    rows = list(csv.DictReader(io.StringIO(out)))
    assert code == 0 and [row["flags"] for row in rows] == ["read", "not_acknowledged answer", ""]
    assert [row["direction"] for row in rows] == ["", "sent", ""] and "'funny' says nothing of a frame" in err
