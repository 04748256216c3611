"""Writes the raw files of the demo in their open formats."""

from __future__ import annotations

import gzip
import json
import struct
import wave
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray


def iso(time_ns: int) -> str:
    """Return a moment as ISO 8601 in UTC, to the microsecond."""
    return datetime.fromtimestamp(time_ns / 1e9, UTC).strftime("%Y-%m-%dT%H:%M:%S.%f")


def write_vcd(
    path: Path, scope: str, lines: Mapping[str, tuple[int, NDArray[np.int64]]], begin_ns: int, end_ns: int
) -> None:
    """Write lines, each with its first level and the times of its changes, as a value change dump."""
    codes = {name: chr(33 + number) for number, name in enumerate(lines)}
    head = [f"$date {iso(begin_ns)} $end", "$timescale 1 ns $end", f"$scope module {scope} $end"]
    head += [f"$var wire 1 {codes[name]} {name} $end" for name in lines]
    head += ["$upscope $end", "$enddefinitions $end", "#0", "$dumpvars"]
    head += [f"{first}{codes[name]}" for name, (first, _) in lines.items()] + ["$end"]
    events = sorted(
        (int(time), codes[name], (first + 1 + number) & 1)
        for name, (first, times) in lines.items()
        for number, time in enumerate(times)
    )
    last = -1
    for time, code, level in events:
        if time != last:
            head.append(f"#{time}")
            last = time
        head.append(f"{level}{code}")
    head.append(f"#{end_ns}")
    text = ("\n".join(head) + "\n").encode()
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


def write_wav(path: Path, rate_hz: int, values: NDArray[np.floating], bits: int) -> None:
    """Write one channel, values from -1 to 1, with 8 or 16 bits."""
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(bits // 8)
        file.setframerate(rate_hz)
        clipped = np.clip(values, -1, 1)
        data = (clipped * 127 + 128).astype(np.uint8) if bits == 8 else (clipped * 32767).astype("<i2")
        file.writeframes(data.tobytes())


def write_sigmf(path: Path, rate_hz: float, center_hz: float, begin_ns: int, values: NDArray[np.complexfloating],
                noted: Sequence[tuple[int, int, str]]) -> None:  # fmt: skip
    """Write I/Q with eight bits a part beside its description."""
    pairs = np.stack([values.real, values.imag], axis=1)
    np.clip(np.rint(pairs * 127), -127, 127).astype(np.int8).tofile(path.with_suffix(".sigmf-data"))
    meta = {
        "global": {"core:datatype": "ci8", "core:sample_rate": rate_hz, "core:version": "1.0.0",
                   "core:description": "Yuzu sea trial, hook release pendant"},
        "captures": [{"core:sample_start": 0, "core:frequency": center_hz, "core:datetime": iso(begin_ns) + "Z"}],
        "annotations": [
            {"core:sample_start": start, "core:sample_count": count, "core:label": text} for start, count, text in noted
        ],
    }  # fmt: skip
    path.with_suffix(".sigmf-meta").write_text(json.dumps(meta, indent=1) + "\n", encoding="utf-8")


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
