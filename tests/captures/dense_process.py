"""Reads the densest files there can be; made to be run by itself, compiled or with every index checked."""

import shutil
import struct
import sys
from pathlib import Path

from zesty_abacus.core.captures.registry import read_lines, read_recording

MANY = 20_000
"""Of packets more than a reader takes at once."""


def pcap(link):
    head = struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, link)
    return head + struct.pack("<IIII", 1, 0, 0, 0) * MANY


def pcapng(link, block):
    section = struct.pack("<IIIHHqI", 0x0A0D0D0A, 28, 0x1A2B3C4D, 1, 0, -1, 28)
    return section + struct.pack("<IIHHII", 1, 20, link, 0, 65535, 20) + block * MANY


BLOCKS = {
    "enhanced": struct.pack("<IIIIIIII", 6, 32, 0, 0, 0, 0, 0, 32), "simple": struct.pack("<IIII", 3, 16, 0, 16),
    "unknown": struct.pack("<III", 99, 12, 12),
}  # fmt: skip
# enough of a format to be known by, before what is dense
LOG, BYTES = b"(1.0) can0 100#01\n" * 50, b"0.1 01 02 03\n" * 50
CHANGES = b"$timescale 1 ns $end $var wire 1 ! a $end $var real 64 r b $end $enddefinitions $end\n#0 0!\n#5 1!\n"


def files():
    for link in (227, 113, 1, 101, 251, 256):
        yield f"{link}.pcap", pcap(link)
        yield from ((f"{link}{name}.pcapng", pcapng(link, block)) for name, block in BLOCKS.items())
    for number, line in enumerate((b"(\n", b"\n", b"(0)a 0#\n", b"(0) a 0#R\n", b"(1.0) a 100#\n")):
        yield f"{number}.log", LOG + line * MANY
    for number, line in enumerate((b"0\n", b"x\n", b"0 0\n", b"0 00\n", b"00\n")):
        yield f"{number}.bytes", BYTES + line * MANY
    for number, words in enumerate((b"0!\n1!\n", b"#\n", b"r0 r\n", b"b1 !\n", b"1?\n", b"b\n")):
        yield f"{number}.vcd", CHANGES + words * MANY


def read(path):
    """Return how many frames or changes come of a file, and how many problems; no kernel writes beyond its tables."""
    if path.suffix == ".vcd":
        made, report = read_lines(path, path.parent / "columns")
        shutil.rmtree(path.parent / "columns", ignore_errors=True)
        return sum(channel.count for channel in made.channels), report.problem_count
    frames = 0

    def take(table, _lanes):
        nonlocal frames
        table.check()
        frames += len(table)

    report = read_recording(path, take)
    return frames, report.problem_count


def main() -> None:
    for name, data in files():
        path = Path(sys.argv[1]) / name
        path.write_bytes(data)
        print(name, *read(path))
        path.unlink()


if __name__ == "__main__":
    main()
