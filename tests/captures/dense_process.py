"""Reads the densest files there can be; made to be run by itself, compiled or with every index checked."""

import struct
import sys
from pathlib import Path

from zesty_abacus.core.captures.registry import read_recording
from zesty_abacus.core.errors import AbacusError

MANY = 40_000


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
LOG, BYTES = b"(1.0) can0 100#01\n" * 20, b"0.1 01 02 03\n" * 20


def files():
    for link in (227, 113, 1, 101, 251, 256):
        yield f"{link}.pcap", pcap(link)
        yield from ((f"{link}{name}.pcapng", pcapng(link, block)) for name, block in BLOCKS.items())
    for number, line in enumerate((b"(\n", b"\n", b"(0)a 0#\n", b"(0) a 0#R\n", b"(1.0) a 100#\n")):
        yield f"{number}.log", LOG + line * MANY
    for number, line in enumerate((b"0\n", b"x\n", b"0 0\n", b"0 00\n", b"00\n")):
        yield f"{number}.bytes", BYTES + line * MANY


def main() -> None:
    for name, data in files():
        path = Path(sys.argv[1]) / name
        path.write_bytes(data)
        frames = 0

        def take(table, _lanes):
            nonlocal frames
            table.check()
            frames += len(table)

        try:
            report = read_recording(path, take)
            print(name, frames, report.problem_count)
        except AbacusError as error:
            print(name, error)
        path.unlink()


if __name__ == "__main__":
    main()
