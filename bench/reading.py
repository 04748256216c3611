"""Reading recordings: a text log against a plain Python loop, a pcap file against copying its payload."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from bench.table import Line, best
from zesty_abacus.core.captures.registry import open_writer, read_recording
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.demo.simulator import chunks

SECONDS = 600.0
LOOP_LINES = 200_000


def measure(folder: Path) -> list[Line]:
    """Measure the readers on a simulated voyage of ten minutes."""
    tables = [parts["thruster"] for _, parts in chunks(SECONDS, 5)]
    log, pcap = folder / "thruster.log", folder / "thruster.pcap"
    for path in (log, pcap):
        writer = open_writer(path, ["thruster"])
        for table in tables:
            writer.append(table)
        writer.close()
    return [*_text_lines(log), *_pcap_lines(pcap)]


def _text_lines(log: Path) -> list[Line]:
    size = log.stat().st_size
    ours = best(lambda: read_recording(log, _drop))
    part = log.with_suffix(".part")
    with log.open() as source, part.open("w") as target:
        target.writelines(line for line, _ in zip(source, range(LOOP_LINES), strict=False))
    loop = best(lambda: plain_loop(part), rounds=2) * size / part.stat().st_size
    speed = size / ours / 1e6
    return [
        Line("read SocketCAN text", f"{speed:.0f} MB/s", "100 MB/s", speed >= 100),
        Line("  against a plain Python loop", f"{loop / ours:.1f} x", "10 x", loop / ours >= 10),
    ]


def plain_loop(path: Path) -> dict[str, list]:
    """Read a log into the same columns with a plain loop, as clear and quick as such a loop is written."""
    columns: dict[str, list] = {name: [] for name in ("time_ns", "lane", "address", "flags", "start", "size")}
    payload = bytearray()
    lanes: dict[str, int] = {}
    with path.open() as file:
        for line in file:
            time, lane, frame, *direction = line.split()
            seconds, fraction = time[1:-1].split(".")
            identifier, data = frame.split("#", 1)
            address = int(identifier, 16)
            flags = (0 if len(identifier) == 3 else 4) | (1 if direction == ["R"] else 2 if direction == ["T"] else 0)
            if len(identifier) == 8 and address & 0x2000_0000:
                address, flags = address & 0x1FFF_FFFF, flags & ~4 | 16
            if data.startswith("R"):
                content, flags = b"", flags | 8
            elif data.startswith("#"):
                content, flags = bytes.fromhex(data[2:]), flags | 32
            else:
                content = bytes.fromhex(data)
            columns["time_ns"].append(int(seconds) * 1_000_000_000 + int(fraction.ljust(9, "0")))
            columns["lane"].append(lanes.setdefault(lane, len(lanes)))
            columns["address"].append(address)
            columns["flags"].append(flags)
            columns["start"].append(len(payload))
            columns["size"].append(len(content))
            payload += content
    return columns


def _pcap_lines(pcap: Path) -> list[Line]:
    ours = best(lambda: read_recording(pcap, _drop))
    places = _payload_places(pcap)

    def copy_payload() -> None:
        np.fromfile(pcap, np.uint8)[places]

    def copy_file() -> None:
        np.fromfile(pcap, np.uint8).copy()

    speed = pcap.stat().st_size / ours / 1e6
    share = best(copy_payload) / ours
    return [
        Line("read pcap with CAN", f"{speed:.0f} MB/s"),
        Line("  against copying the payload out in NumPy", f"{share:.2f} x", "0.33 x", share >= 0.33),
        Line("  against copying every byte of the file", f"{best(copy_file) / ours:.2f} x"),
    ]


def _payload_places(pcap: Path) -> np.ndarray:
    """Return the place of every payload byte in the file, found beforehand and not measured."""
    data = pcap.read_bytes()
    at, places = 24, []
    while at < len(data):
        captured = int.from_bytes(data[at + 8 : at + 12], "little")
        places.append(np.arange(at + 24, at + 16 + captured))
        at += 16 + captured
    return np.concatenate(places)


def _drop(_chunk: FrameTable, _names: object) -> None:
    """Take frames and keep none: the reader alone is measured."""
