"""The shore-power meter on Modbus TCP."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np

from .. import files
from ..physics import LOOP_S
from .device import Device, Trial, TrueFrame


def write_shore(path: Path, trial: Trial) -> list[TrueFrame]:
    """Shore-power meter over Modbus TCP: polled each second; segments lost, doubled, swapped and split."""
    events: list[tuple[int, bool, bytes, str]] = []
    truth: list[TrueFrame] = []
    transaction = 0
    for second in np.arange(0.2, trial.length_s - 0.5, 1.0):
        number = round(second - 0.2)
        for place, (function, register, count) in enumerate(((4, 0, 6), (3, 100, 2), (2, 0, 10))):
            transaction += 1
            at = trial.at_ns(second + place * 0.11)
            fault = {(11, 0): "unanswered", (23, 1): "late", (36, 2): "exception"}.get((number % 60, place), "")
            register = 600 if fault == "exception" else register
            request = struct.pack(">BBHH", 1, function, register, count)
            address = 1 << 24 | function << 16 | register
            faults = ("unanswered",) if fault == "unanswered" else ()
            truth.append(TrueFrame(at, address, struct.pack(">H", count), faults))
            # a request is sent again now and then, since its acknowledge came late
            quirk = "again" if number % 20 == 7 and place == 1 else ""
            events.append((at, False, _with_head(transaction, request), quirk))
            if fault == "unanswered":
                continue
            back = at + round((0.34 if fault == "late" else 0.004 + 0.0007 * (number % 5)) * 1e9)
            data = b"\x02" if fault == "exception" else _meter_data(trial, second, function)
            body = (
                bytes((1, function | 0x80)) + data if fault == "exception" else bytes((1, function, len(data))) + data
            )
            truth.append(TrueFrame(back, address, data, ("answer", fault) if fault else ("answer",)))
            quirk = (
                "split" if number % 15 == 4 and place == 0 else "swapped" if number % 30 == 13 and place == 0 else ""
            )
            events.append((back, True, _with_head(transaction, body), quirk))
    files.write_packets(path, _segments(sorted(events), trial.at_ns(0.05)))
    return sorted(truth, key=lambda item: item.time_ns)


def _with_head(transaction: int, unit: bytes) -> bytes:
    return struct.pack(">HHH", transaction & 0xFFFF, 0, len(unit)) + unit


def _segments(events: list[tuple[int, bool, bytes, str]], begin: int) -> list[tuple[int, bytes]]:
    """Return packets of one connection: its opening, then each event in a segment, or in two."""
    ends = ((5, 49_152), (40, 502))
    numbers = [1000, 5_000_000]
    packets = []

    def send(at: int, way: bool, payload: bytes, flags: int = 0x18) -> None:
        packet = files.tcp_packet(ends[way], ends[not way], numbers[way], numbers[not way], flags, payload)
        packets.append((at, packet))
        numbers[way] += len(payload) + bool(flags & 0x03)

    send(begin, False, b"", 0x02)
    send(begin + 200_000, True, b"", 0x12)
    send(begin + 400_000, False, b"", 0x10)
    for at, way, payload, quirk in events:
        if quirk in ("split", "swapped"):
            send(at - 400_000, way, payload[:9])
            send(at, way, payload[9:])
            if quirk == "swapped":
                # the second part is there first
                (early, first), (late, second) = packets[-2:]
                packets[-2:] = [(early, second), (late, first)]
        else:
            send(at, way, payload)
        if quirk == "again":
            packets.append((at + 3_000_000, packets[-1][1]))
    return sorted(packets, key=lambda item: item[0])


def _meter_data(trial: Trial, second: float, function: int) -> bytes:
    load = 6 + 2.5 * np.sin(second / 11) + (3 if 60 <= second % LOOP_S < 102 else 0)
    if function == 4:
        volts = [round((230 + 1.5 * np.sin(second / 17 + phase) - 0.2 * load) * 10) for phase in (0, 2, 4)]
        return struct.pack(">6H", *volts, *(round(load * part * 100) for part in (1.0, 0.93, 1.04)))
    if function == 3:
        return struct.pack(">I", round(1_284_000 + second * 4.1))
    states = 0b0000000101 | (0b10 if 60 <= second % LOOP_S < 102 else 0)
    return struct.pack("<H", states)


SHORE = Device("shore", "Modbus TCP", "shore-meter.pcap", write_shore)
