"""Messages longer than a CAN frame: what standards print, what a sender of our own sends, and what gets lost of it."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.lines.result import LineResult, Marks
from zesty_abacus.core.links.framing import framings
from zesty_abacus.core.links.iso15765 import SegmentedFraming

MS = 1_000_000
WAYS = {way.name: way for way in framings() if way.takes == "CAN frames"}


def table_of(*frames, step_ns=MS):
    """Return CAN frames of (address, bytes[, flags[, time]]), one a millisecond."""
    rows = [(*frame, 0, None)[:4] if len(frame) == 2 else (*frame, None)[:4] for frame in frames]
    sizes = np.array([len(row[1]) for row in rows], np.uint32)
    times = [n * step_ns if row[3] is None else row[3] for n, row in enumerate(rows)]
    return FrameTable(
        np.array(times, np.int64), np.zeros(len(rows), np.uint16), np.array([row[0] for row in rows], np.int64),
        np.array([row[2] or 0 for row in rows], np.uint32), (np.cumsum(sizes) - sizes).astype(np.int64), sizes,
        np.frombuffer(b"".join(row[1] for row in rows), np.uint8),
    )  # fmt: skip


def messages_of(way, settings, table, pieces=None):
    """Return (address, flags, payload) of all messages, read at once or in pieces of so many frames."""
    if pieces is None:
        made, waits = WAYS[way].messages(settings, table, ends=True)
        assert not waits.any()
        return listed(made)
    found, held = [], table.rows(0, 0)
    for first in range(0, len(table), pieces):
        part = joined(held, table.rows(first, first + pieces))
        made, waits = WAYS[way].messages(settings, part, ends=False)
        found += listed(made)
        held = taken(part, np.flatnonzero(waits))
    return found + listed(WAYS[way].messages(settings, held, ends=True)[0])


def listed(table):
    return [(int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


def rows_of(table):
    return [
        (int(table.address[n]), table.payload_of(n), int(table.flags[n]), int(table.time_ns[n]))
        for n in range(len(table))
    ]


def joined(one, other):
    return table_of(*rows_of(one), *rows_of(other))


def taken(table, rows):
    every = rows_of(table)
    return table_of(*(every[n] for n in rows))


# ISO 15765-2


def segmented(data, *, before=b"", width=8):
    """Send a message as the standard says, sharing nothing with what reads it."""
    room = width - len(before)
    if len(data) <= room - 1 and len(data) <= 7:
        return [before + bytes([len(data)]) + data]
    if width > 8 and len(data) <= room - 2:
        return [before + bytes([0, len(data)]) + data]
    if len(data) <= 4095:
        frames, rest = [before + bytes([0x10 | len(data) >> 8, len(data) & 255]) + data[: room - 2]], data[room - 2 :]
    else:
        frames = [before + bytes([0x10, 0]) + len(data).to_bytes(4, "big") + data[: room - 6]]
        rest = data[room - 6 :]
    number = 1
    while rest:
        frames.append(before + bytes([0x20 | number]) + rest[: room - 1])
        rest, number = rest[room - 1 :], (number + 1) % 16
    return frames


FLOW = b"\x30\x00\x00\xaa\xaa\xaa\xaa\xaa"


@given(st.data())
def test_segmented_messages_of_several_senders_are_put_together(data):
    before = data.draw(st.sampled_from([b"", b"\xf1"]))
    width = data.draw(st.sampled_from([8, 64]))
    senders = [0x7E0, 0x7E8, 0x18DA00F1]
    sent = {one: data.draw(st.lists(st.binary(min_size=1, max_size=150), max_size=4)) for one in senders}
    queues = {
        one: [frame for message in sent[one] for frame in segmented(message, before=before, width=width)]
        for one in senders
    }
    frames = []
    while any(queues.values()):
        one = data.draw(st.sampled_from([one for one in senders if queues[one]]))
        frames.append((one, queues[one].pop(0), F.EXTENDED if one > 0x7FF else 0))
    frames.append((0x123, b"\x21\x10\x02", 0))
    settings = SegmentedFraming(identifiers="7E0, 7E8, 18DA00F1", address_bytes=len(before))
    table = table_of(*frames)
    found = messages_of("ISO 15765-2", settings, table)
    for one in senders:
        address = one << 8 | 0xF1 if before else one
        assert [payload for where, _, payload in found if where == address] == sent[one]
    assert all(flags & F.CUT_SHORT == 0 for _, flags, _ in found)
    by_pieces = messages_of("ISO 15765-2", settings, table, data.draw(st.integers(1, 9)))
    assert sorted(by_pieces) == sorted(found), "however the frames come in"


def test_more_than_4095_bytes():
    data = bytes(n % 251 for n in range(5000))
    table = table_of(*((0x7E8, frame) for frame in segmented(data)))
    assert messages_of("ISO 15765-2", SegmentedFraming(identifiers="7E8"), table) == [(0x7E8, 0, data)]


def test_what_was_lost_is_told_and_what_follows_is_read():
    first, second = segmented(bytes(range(40))), segmented(b"whole message")
    del first[3]
    table = table_of(*((0x7E8, frame) for frame in first + second))
    found = messages_of("ISO 15765-2", SegmentedFraming(identifiers="7E8"), table)
    assert found == [(0x7E8, F.CUT_SHORT, bytes(range(20))), (0x7E8, 0, b"whole message")]
    late = [(0x7E8, frame, 0, n * 600 * MS * (1 if n < 3 else 3)) for n, frame in enumerate(segmented(bytes(40)))]
    assert messages_of("ISO 15765-2", SegmentedFraming(identifiers="7E8"), table_of(*late))[0][1] == F.CUT_SHORT


def test_identifiers_are_measured_and_others_left_alone():
    noise = np.random.default_rng(1)
    frames = []
    for n in range(60):
        frames += [(0x7E0, frame) for frame in segmented(bytes([0x22, n, 1]))]
        answer = segmented(bytes([0x62, n, *range(20)]))
        frames += [(0x7E8, answer[0]), (0x7E0, FLOW), *((0x7E8, frame) for frame in answer[1:])]
        frames += [(0x100, bytes(noise.integers(0, 256, 8, np.uint8))), (0x101, bytes([2, n, 1, 0, 0, 0, 0, 0]))]
    judged = WAYS["ISO 15765-2"].judge(LineResult(table_of(*frames), np.zeros(0, np.int64), Marks.none()))
    assert judged[0] == SegmentedFraming(identifiers="7E0, 7E8")
    assert judged[2] == "120 messages of 120 on 7E0, 7E8 are whole"
    for name in ("ISO 11783-3", "CANopen SDO"):
        assert WAYS[name].judge(LineResult(table_of(*frames), np.zeros(0, np.int64), Marks.none())) is None


def test_identifiers_that_are_none_are_told():
    with pytest.raises(MisuseError, match="'7EX' is no identifier"):
        messages_of("ISO 15765-2", SegmentedFraming(identifiers="7EX"), table_of((0x7E0, b"\x01\x02")))


# ISO 11783-3


def identifier(format_, receiver, sender, priority=7):
    return priority << 26 | format_ << 16 | receiver << 8 | sender


def announced(data, group, sender, receiver=0xFF):
    """Send a message as the standard says: to everybody, or to one with answers; yields (identifier, bytes)."""
    count = (len(data) + 6) // 7
    pgn = group.to_bytes(3, "little")
    size = len(data).to_bytes(2, "little")
    to, back = identifier(0xEC, receiver, sender), identifier(0xEC, sender, receiver)
    if receiver == 0xFF:
        yield to, bytes([32, *size, count, 0xFF]) + pgn
    else:
        yield to, bytes([16, *size, count, 0xFF]) + pgn
        yield back, bytes([17, count, 1, 0xFF, 0xFF]) + pgn
    for n in range(count):
        yield identifier(0xEB, receiver, sender), bytes([n + 1]) + data[n * 7 : n * 7 + 7].ljust(7, b"\xff")
    if receiver != 0xFF:
        yield back, bytes([19, *size, count, 0xFF]) + pgn


def long_frames(*frames):
    return [(address, data, F.EXTENDED) for address, data in frames]


def test_a_broadcast_is_put_together_with_its_group():
    data = bytes(range(40))
    found = messages_of("ISO 11783-3", None, table_of(*long_frames(*announced(data, 0xFECA, 0x00))))
    assert found == [(0x1C_FECA_00, F.EXTENDED, data)]


@given(st.data())
def test_announced_messages_of_several_senders(data):
    senders = [(0x00, 0xFF, 0xFECA), (0x21, 0xFF, 0xFEE3), (0x21, 0x80, 0xEF00), (0x80, 0x21, 0xFEE3)]
    sent = {one: data.draw(st.lists(st.binary(min_size=9, max_size=120), max_size=3)) for one in senders}
    queues = {
        one: [frame for message in sent[one] for frame in announced(message, one[2], one[0], one[1])] for one in senders
    }
    frames = []
    while any(queues.values()):
        one = data.draw(st.sampled_from([one for one in senders if queues[one]]))
        frames.append(queues[one].pop(0))
    table = table_of(*long_frames(*frames))
    found = messages_of("ISO 11783-3", None, table)
    for sender, receiver, group in senders:
        wanted = 0x1C000000 | (group | receiver if group == 0xEF00 else group) << 8 | sender
        same = [one for one in senders if one[0] == sender and one[2] == group]
        assert [payload for where, _, payload in found if where == wanted] == [
            message for one in same for message in sent[one]
        ]
    assert all(flags == F.EXTENDED for _, flags, _ in found)
    assert sorted(messages_of("ISO 11783-3", None, table, data.draw(st.integers(1, 9)))) == sorted(found)


def test_lost_and_repeated_pieces_and_an_abort():
    frames = list(announced(bytes(range(30)), 0xFECA, 0x00))
    lost = frames[:3] + frames[4:]
    assert messages_of("ISO 11783-3", None, table_of(*long_frames(*lost))) == [
        (0x1C_FECA_00, F.EXTENDED | F.CUT_SHORT, bytes(range(14)))
    ]
    again = list(announced(bytes(range(30)), 0xFECA, 0x00, 0x21))
    again = again[:5] + again[3:]
    assert messages_of("ISO 11783-3", None, table_of(*long_frames(*again)))[0][2] == bytes(range(30))
    stopped = [*again[:4], (identifier(0xEC, 0x00, 0x21), bytes([255, 3, 255, 255, 255, 0xCA, 0xFE, 0]))]
    assert messages_of("ISO 11783-3", None, table_of(*long_frames(*stopped)))[0][1] & F.CUT_SHORT


@pytest.mark.parametrize(
    ("group", "address"),
    [
        (0x1FECA, 0x1DFECA00),  # of the data page
        (0x3FECA, 0x1FFECA00),  # and of the extended one
        (0xFDFECA, 0x1DFECA00),  # above them lie reserved bits
        (0xEF00, 0x1CEF2100),  # the last format that has a receiver
        (0xF0CA, 0x1CF0CA00),  # and the first that has none
    ],
)
def test_a_group_is_in_the_identifier_with_its_pages_and_its_receiver(group, address):
    frames = table_of(*long_frames(*announced(bytes(20), group, 0x00, 0x21)))
    assert messages_of("ISO 11783-3", None, frames) == [(address, F.EXTENDED, bytes(20))]


@pytest.mark.parametrize(("late_ns", "flags"), [(0, F.EXTENDED), (1, F.EXTENDED | F.CUT_SHORT)])
def test_a_piece_is_waited_for_for_a_second_and_a_quarter(late_ns, flags):
    frames = list(announced(bytes(9), 0xFECA, 0x00))
    times = [0, MS, MS + 1_250_000_000 + late_ns]
    table = table_of(*((where, data, F.EXTENDED, time) for (where, data), time in zip(frames, times, strict=True)))
    assert messages_of("ISO 11783-3", None, table) == [(0x1CFECA00, flags, bytes(9 if late_ns == 0 else 7))]


def test_a_second_announcement_ends_the_first():
    first, second = list(announced(bytes(20), 0xFECA, 0x00)), list(announced(b"now something else", 0xFECA, 0x00))
    assert messages_of("ISO 11783-3", None, table_of(*long_frames(*first[:2], *second))) == [
        (0x1CFECA00, F.EXTENDED | F.CUT_SHORT, bytes(7)), (0x1CFECA00, F.EXTENDED, b"now something else")
    ]  # fmt: skip


def test_nothing_waits_for_what_a_second_announcement_ended():
    first, second = list(announced(bytes(20), 0xFECA, 0x00)), list(announced(b"now something else", 0xFECA, 0x00))
    made, waits = WAYS["ISO 11783-3"].messages(None, table_of(*long_frames(*first[:2], *second)), ends=False)
    assert len(made) == 2 and not waits.any()


@pytest.mark.parametrize(("by", "both"), [(255, True), (19, False)])
def test_an_abort_ends_what_both_send_and_a_receipt_what_was_received(by, both):
    """Two devices send to each other at once; the one at 0x21 aborts, or says that it has all, though it has not."""
    there, back = (
        list(announced(bytes(20), 0xFECA, 0x00, 0x21)),
        list(announced(bytes(20), 0xFECA, 0x21, 0x00)),
    )
    said = (identifier(0xEC, 0x00, 0x21), bytes([by, 3, 255, 255, 255, 0xCA, 0xFE, 0]))
    frames = [there[0], back[0], there[2], back[2], said, *there[3:5], *back[3:5]]
    made = messages_of("ISO 11783-3", None, table_of(*long_frames(*frames)))
    found = {address & 0xFF: bool(flags & F.CUT_SHORT) for address, flags, _ in made}
    assert found == {0x00: True, 0x21: both}


@pytest.mark.parametrize("size", [0, 117_440_506])
def test_an_announcement_of_nothing_or_of_too_much_is_none(size):
    pgn = (0xFECA).to_bytes(3, "little")
    frames = [(identifier(0xC8, 0x21, 0x03), bytes([20, *size.to_bytes(4, "little")]) + pgn)]
    frames += [(identifier(0xC7, 0x21, 0x03), bytes([1]) + bytes(7))]
    assert messages_of("ISO 11783-3", None, table_of(*long_frames(*frames))) == []


def test_the_extended_transport_counts_from_its_offset():
    data = bytes(n % 250 for n in range(2000))
    to, back = identifier(0xC8, 0x21, 0x03), identifier(0xC8, 0x03, 0x21)
    pgn = (0xEF00).to_bytes(3, "little")
    frames = [(to, bytes([20, *len(data).to_bytes(4, "little")]) + pgn)]
    pieces = [data[n : n + 7].ljust(7, b"\xff") for n in range(0, len(data), 7)]
    for first in range(0, len(pieces), 100):
        part = pieces[first : first + 100]
        frames += [(back, bytes([21, 100, *(first + 1).to_bytes(3, "little")]) + pgn)]
        frames += [(to, bytes([22, len(part), *first.to_bytes(3, "little")]) + pgn)]
        frames += [(identifier(0xC7, 0x21, 0x03), bytes([n + 1]) + piece) for n, piece in enumerate(part)]
    frames += [(back, bytes([23, *len(data).to_bytes(4, "little")]) + pgn)]
    assert messages_of("ISO 11783-3", None, table_of(*long_frames(*frames))) == [(0x1C_EF21_03, F.EXTENDED, data)]


# CANopen SDO


def dictionary(node, index, sub, data, *, read, by_pieces):
    """Transfer a value as the standard says; yields (identifier, bytes)."""
    to, back = 0x600 + node, 0x580 + node
    name = bytes([index & 255, index >> 8, sub])
    if not by_pieces:
        short = bytes([(0x43 if read else 0x23) | (4 - len(data)) << 2]) + name + data.ljust(4, b"\0")
        if read:
            yield to, b"\x40" + name + b"\0\0\0\0"
            yield back, short
        else:
            yield to, short
            yield back, b"\x60" + name + b"\0\0\0\0"
        return
    size = len(data).to_bytes(4, "little")
    if read:
        yield to, b"\x40" + name + b"\0\0\0\0"
        yield back, b"\x41" + name + size
    else:
        yield to, b"\x21" + name + size
        yield back, b"\x60" + name + b"\0\0\0\0"
    pieces = [data[n : n + 7] for n in range(0, len(data), 7)]
    for n, piece in enumerate(pieces):
        toggle, ends = (n & 1) << 4, n == len(pieces) - 1
        carries = bytes([toggle | (7 - len(piece)) << 1 | ends]) + piece.ljust(7, b"\0")
        if read:
            yield to, bytes([0x60 | toggle]) + b"\0" * 7
            yield back, carries
        else:
            yield to, carries
            yield back, bytes([0x20 | toggle]) + b"\0" * 7


@given(st.data())
def test_values_of_several_devices_are_read_and_written(data):
    queues, wanted = {}, []
    for node in (1, 5, 127):
        queues[node] = []
        for _ in range(data.draw(st.integers(0, 3))):
            read, by_pieces = data.draw(st.booleans()), data.draw(st.booleans())
            value = data.draw(st.binary(min_size=1, max_size=60 if by_pieces else 4))
            index, sub = data.draw(st.integers(0x1000, 0x9FFF)), data.draw(st.integers(0, 255))
            queues[node] += dictionary(node, index, sub, value, read=read, by_pieces=by_pieces)
            where = node << 24 | index << 8 | sub
            way = F.READ if read else 0
            wanted += [(where, way, b"" if read else value), (where, way | F.ANSWER, value if read else b"")]
    frames = []
    while any(queues.values()):
        node = data.draw(st.sampled_from([one for one in queues if queues[one]]))
        frames.append(queues[node].pop(0))
    table = table_of(*frames)
    assert sorted(messages_of("CANopen SDO", None, table)) == sorted(wanted)
    assert sorted(messages_of("CANopen SDO", None, table, data.draw(st.integers(1, 5)))) == sorted(wanted)


def test_a_refusal_a_silence_and_a_wrong_toggle():
    name = bytes([0x00, 0x20, 1])
    refused = (0x601, b"\x40" + name + b"\0\0\0\0"), (0x581, b"\x80" + name + (0x06020000).to_bytes(4, "little"))
    silent = ((0x602, b"\x40" + name + b"\0\0\0\0"),)
    found = messages_of("CANopen SDO", None, table_of(*refused, *silent))
    assert found == [
        (0x01_2000_01, F.READ, b""), (0x01_2000_01, F.READ | F.ANSWER | F.EXCEPTION, bytes([0, 0, 2, 6])),
        (0x02_2000_01, F.READ | F.UNANSWERED, b""),
    ]  # fmt: skip
    frames = list(dictionary(3, 0x2001, 0, bytes(range(20)), read=True, by_pieces=True))
    del frames[4:6]
    broken = messages_of("CANopen SDO", None, table_of(*frames))
    assert broken[-1] == (0x03_2001_00, F.READ | F.ANSWER | F.CUT_SHORT, bytes(range(7)))


@pytest.mark.parametrize(
    ("text", "address", "is_extended"),
    [("7E0", 0x7E0, False), ("007", 0x7, False), ("07E0", 0x7E0, True), ("18DA00F1", 0x18DA00F1, True)],
)
def test_identifiers_of_more_than_three_digits_have_29_bits(text, address, is_extended):
    frames = [(address, b"\x02\x3e\x00", F.EXTENDED), (address, b"\x02\x3e\x01", 0)]
    found = messages_of("ISO 15765-2", SegmentedFraming(identifiers=text), table_of(*frames))
    assert [payload for _, _, payload in found] == [b"\x3e\x00" if is_extended else b"\x3e\x01"]
