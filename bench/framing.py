"""Memory while serial bytes and network packets are put together to telegrams, however many there are."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

from bench.table import Line

_BYTES = 1 << 27
_PACKETS = 1 << 21
_PEAK = """
# of this program alone: what the system adds up over a fork holds the highest memory of its parent as well
status = dict(line.split(":", 1) for line in open("/proc/self/status"))
peak = int(status["VmHWM"].split()[0]) * 1024
print(json.dumps([peak, time.perf_counter() - began, frames]))
"""
_SERIAL = f"""
import json, sys, time
import numpy as np
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.links.telegrams import GapFraming
from zesty_abacus.core.recipes.model import new_recipe
from zesty_abacus.core.recipes.segments import SegmentFramer

PIECES, SIZE = 1 << 14, 64
sizes = np.full(PIECES, SIZE, np.uint32)
payload = np.random.default_rng(1).integers(0, 256, PIECES * SIZE, np.uint8)
frames = 0

def put(table):
    global frames
    frames += len(table)

framer = SegmentFramer(new_recipe("x", framing=GapFraming(gap_us=1000.0), lane="x"), put)
began = time.perf_counter()
for number in range({_BYTES} // (PIECES * SIZE)):
    times = (np.arange(PIECES) + number * PIECES) * 5_000_000
    framer.add(FrameTable(times, np.zeros(PIECES, np.uint16), np.zeros(PIECES, np.int64), np.zeros(PIECES, np.uint32),
                          np.arange(PIECES) * SIZE, sizes, payload))
framer.finish()
{_PEAK}"""
_NETWORK = f"""
import json, struct, time
import numpy as np
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.links.modbus_tcp import ModbusTcpFraming
from zesty_abacus.core.recipes.model import new_recipe
from zesty_abacus.core.recipes.packets import PacketFramer

# a client that asks for 60 registers and a server that answers, a packet each
COUNT, HEADS = 1 << 14, 54
ASKS, GIVES = 12, 9 + 120
def packet(source, target, size, body):
    ends = (b"\\x0a\\0\\0\\1", b"\\x0a\\0\\0\\2")[:: 1 if source > target else -1]
    ip = struct.pack(">BBHHHBBH", 0x45, 0, 40 + size, 0, 0x4000, 64, 6, 0) + ends[0] + ends[1]
    tcp = struct.pack(">HHIIBBHHH", source, target, 0, 0, 0x50, 0x18, 1024, 0, 0)
    return bytes(12) + b"\\x08\\0" + ip + tcp + body.ljust(size, b"\\0")
both = packet(40000, 502, ASKS, struct.pack(">HHHBBHH", 0, 0, 6, 1, 3, 0, 60)) + packet(
    502, 40000, GIVES, struct.pack(">HHHBBB", 0, 0, 123, 1, 3, 120))
pairs = np.tile(np.frombuffer(both, np.uint8), (COUNT // 2, 1))
sizes = np.tile(np.array([HEADS + ASKS, HEADS + GIVES], np.uint32), COUNT // 2)
starts = np.cumsum(sizes.astype(np.int64)) - sizes
frames = 0

def put(table):
    global frames
    frames += len(table)

def numbered(first):
    count = np.arange(first, first + COUNT // 2, dtype=np.uint64)
    for at, words in ((38, count * ASKS), (HEADS + ASKS + 38, count * GIVES)):
        pairs[:, at : at + 4] = words.astype(">u4").view(np.uint8).reshape(-1, 4)
    for at in (HEADS, HEADS + ASKS + HEADS):
        pairs[:, at : at + 2] = count.astype(">u2").view(np.uint8).reshape(-1, 2)
    return pairs.reshape(-1).copy()

framer = PacketFramer(new_recipe("x", framing=ModbusTcpFraming(), lane="x"), put)
began = time.perf_counter()
for number in range({_PACKETS} // COUNT):
    times = (np.arange(COUNT) + number * COUNT) * 500_000
    framer.add(FrameTable(times, np.zeros(COUNT, np.uint16), np.ones(COUNT, np.int64),
                          np.full(COUNT, F.PACKET, np.uint32), starts, sizes, numbered(number * COUNT // 2)))
framer.finish()
{_PEAK}"""


def measure(_folder: Path) -> list[Line]:
    """Measure each in a process of its own, whose highest memory the system knows."""
    serial, network = _run(_SERIAL, _BYTES // 64), _run(_NETWORK, _PACKETS)
    return [
        _memory("memory while framing 128 MB of serial bytes, as for any number", serial[0]),
        Line("  at", f"{_BYTES / serial[1] / 1e6:.0f} MB/s"),
        _memory("memory while 2 M packets of Modbus TCP become requests and answers, as for any number", network[0]),
        Line("  at", f"{_PACKETS / network[1] / 1e6:.2f} M packets/s"),
    ]


def _run(code: str, expected: int) -> tuple[int, float]:
    """Return the highest memory in bytes, and seconds."""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    peak, seconds, frames = json.loads(done.stdout)
    assert frames == expected
    return peak, seconds


def _memory(what: str, peak: int) -> Line:
    return Line(what, f"{peak / 1e6:.0f} MB", "500 MB", peak < 500e6)
