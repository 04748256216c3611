"""Writes the raw files of the demo in their open formats."""

from __future__ import annotations

import gzip
import struct
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..core.draw.files import vcd_text, write_sigmf, write_wav


def write_vcd(
    path: Path, scope: str, lines: Mapping[str, tuple[int, NDArray[np.int64]]], begin_ns: int, end_ns: int
) -> None:
    """Write lines, each with its first level and the times of its changes, as a value change dump."""
    text = vcd_text(scope, lines, begin_ns, end_ns)
    # no time of writing in the file, so that it is the same each time the demo is made
    path.write_bytes(gzip.compress(text, 9, mtime=0) if path.suffix == ".gz" else text)


def write_samples(path: Path, names: Sequence[str], rate_hz: float, begin_ns: int, columns: Sequence[NDArray]) -> None:
    """Write analog channels as a table with a time column."""
    rows = ["time_s," + ",".join(names)]
    step = 1e9 / rate_hz
    for number, values in enumerate(zip(*columns, strict=True)):
        time = begin_ns + round(number * step)
        rows.append(f"{time // 10**9}.{time % 10**9:09d}"[:-2] + "," + ",".join(f"{value:.2f}" for value in values))
    path.write_bytes(gzip.compress(("\n".join(rows) + "\n").encode(), 9, mtime=0))


def write_packets(path: Path, packets: Sequence[tuple[int, bytes]]) -> None:
    """Write Ethernet packets, each with its time, as a pcap file with nanoseconds."""
    parts = [struct.pack("<IHHiIII", 0xA1B23C4D, 2, 4, 0, 0, 262_144, 1)]
    for time_ns, data in packets:
        parts.append(struct.pack("<IIII", time_ns // 10**9, time_ns % 10**9, len(data), len(data)) + data)
    path.write_bytes(b"".join(parts))


def tcp_packet(source: tuple[int, int], target: tuple[int, int], sequence: int, acknowledged: int, flags: int,
               payload: bytes = b"") -> bytes:  # fmt: skip
    """Return an Ethernet packet with a TCP segment between two (host, port) of one network, checksums and all."""

    def words(data: bytes) -> int:
        data += b"\0" * (len(data) % 2)
        total = sum(struct.unpack(f">{len(data) // 2}H", data))
        while total >> 16:
            total = (total & 0xFFFF) + (total >> 16)
        return ~total & 0xFFFF

    hosts = [bytes((10, 20, 30, host)) for host, _ in (source, target)]
    segment = struct.pack(">HHIIBBHHH", source[1], target[1], sequence & 0xFFFFFFFF, acknowledged & 0xFFFFFFFF,
                          5 << 4, flags, 8192, 0, 0) + payload  # fmt: skip
    check = words(hosts[0] + hosts[1] + struct.pack(">BBH", 0, 6, len(segment)) + segment)
    segment = segment[:16] + struct.pack(">H", check) + segment[18:]
    head = (
        struct.pack(">BBHHHBBH", 0x45, 0, 20 + len(segment), sequence & 0xFFFF, 0x4000, 64, 6, 0) + hosts[0] + hosts[1]
    )
    head = head[:10] + struct.pack(">H", words(head)) + head[12:]
    stations = [bytes((2, 0, 0, 0, 0, host)) for host, _ in (target, source)]
    return stations[0] + stations[1] + b"\x08\x00" + head + segment


__all__ = ["tcp_packet", "write_packets", "write_samples", "write_sigmf", "write_vcd", "write_wav"]
