"""Clocked bursts with more clocks than data bits, an acknowledge, and a line that asks for service."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import Wires, jittered
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.clocked import DECODER, ClockedLine
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import MarkKind


def wires_of(frames, bits=8, extra=3, refuse=(), asked=(), half=1000.0, at_last=False):
    wires = Wires(clock=0, data=0, ask=1)
    wires.wait(half * 50)
    number = 0
    for turn, frame in enumerate(frames):
        wires.wait(half, ask=0 if turn in asked else 1)
        for value in frame:
            for n in range(bits):
                wires.wait(half, data=value >> (bits - 1 - n) & 1)
                wires.wait(half, clock=1)
                wires.wait(0, clock=0)
            refused = 1 if number in refuse else 0
            # where the last clock acknowledges, those before it say the opposite
            wires.wait(half, data=1 - refused if at_last and extra else refused)
            for place in range(1 + extra):
                if place == extra:
                    wires.wait(0, data=refused)
                wires.wait(half, clock=1)
                wires.wait(half, clock=0)
            wires.wait(half * 12)
            number += 1
        wires.wait(half * 200, ask=1)
    return wires


def decode(wires, **form):
    line = ClockedLine(clock="clock", data="data", request="ask", **form)
    return decode_line(line, wires.edges() if isinstance(wires, Wires) else wires)


def frames_of(result):
    table = result.frames
    return [(int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


@given(
    st.lists(st.lists(st.integers(0, 255), min_size=2, max_size=5), min_size=3, max_size=6),
    st.integers(1, 9),
    st.integers(0, 99),
)
def test_the_first_bits_of_each_burst_are_taken(frames, extra, seed):
    lines = {name: jittered(line, 30, seed) for name, line in wires_of(frames, extra=extra).edges().items()}
    assert [payload for _, _, payload in frames_of(decode(lines))] == [bytes(frame) for frame in frames]


def test_who_asked_and_what_was_refused():
    result = decode(wires_of([[1, 2], [3, 4], [5, 6]], refuse=(3,), asked=(2,)))
    assert frames_of(result) == [(0, 0, b"\x01\x02"), (0, F.REFUSED, b"\x03\x04"), (1, 0, b"\x05\x06")]
    kinds = result.marks.kind.tolist()
    assert kinds.count(MarkKind.REFUSED) == 1 and kinds.count(MarkKind.CONTROL) == 6


def test_the_last_clock_acknowledges_where_it_is_set():
    form = {"at_last_clock": True, "burst_gap_us": 5, "frame_gap_us": 100}
    for extra in (0, 1, 4):
        result = decode(wires_of([[1, 2], [3, 4], [5]], extra=extra, refuse=(3, 4), at_last=True), **form)
        assert frames_of(result) == [(0, 0, b"\x01\x02"), (0, F.REFUSED, b"\x03\x04"), (0, F.REFUSED, b"\x05")]
    marks = result.marks.rows[(result.marks.kind == MarkKind.TAKEN) | (result.marks.kind == MarkKind.REFUSED)]
    assert marks[:, 3].tolist() == [0, 0, 0, 1, 1]
    ends = result.marks.of_kind(MarkKind.CONTROL)[:, 1]
    assert ends.tolist() == marks[:, 0].tolist(), "the acknowledge stands at the end of the burst"


def test_a_burst_with_too_few_clocks_is_cut_short():
    wires = wires_of([[1, 2], [3, 4]])
    for bit in (1, 0, 1):
        wires.wait(1000, data=bit)
        wires.wait(1000, clock=1)
        wires.wait(0, clock=0)
    wires.wait(100_000)
    _, flags, payload = frames_of(decode(wires, burst_gap_us=5, frame_gap_us=100))[-1]
    assert flags & F.CUT_SHORT and payload == b""


@pytest.mark.parametrize("on_rise", [False, True])
@pytest.mark.parametrize("asked", [(), (3, 4, 11)])
def test_the_edge_and_who_asks_are_measured(on_rise, asked):
    """Data stand still at the edge that takes them; a line that is low before some frames asks for them."""
    lines = wires_of([[n, 255 - n] for n in range(20)], asked=asked).edges()
    clock = lines["clock"] if on_rise else lines["clock"].inverted()
    channels = {"a": lines["data"], "b": clock, "c": lines["ask"]}
    best = max(DECODER.propose(channels), key=lambda one: one.score)
    assert (best.settings.clock, best.settings.data, best.settings.on_rise) == ("b", "a", on_rise)
    assert best.settings.request == ("c" if asked else "")
    assert best.reason.endswith(f"taken as it {'rises' if on_rise else 'falls'}{', asked for by c' if asked else ''}")
    frames = frames_of(decode_line(best.settings, channels))
    assert frames == [(int(n in asked), 0, bytes([n, 255 - n])) for n in range(20)]


def test_bursts_of_an_odd_length_are_proposed():
    lines = wires_of([[n, 255 - n] for n in range(20)]).edges()
    best = max(DECODER.propose({"a": lines["data"], "b": lines["clock"]}), key=lambda p: p.score)
    assert (best.settings.clock, best.settings.data, best.settings.bits) == ("b", "a", 8)
