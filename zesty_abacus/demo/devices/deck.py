"""The deck bus on Modbus RTU."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np

from .. import files
from ..physics import LOOP_S, MOMENTS
from ..wires import Drawing, send_characters
from .device import Device, Trial, TrueFrame
from .glitches import with_glitches

_PUMP_S = MOMENTS[5][0]


def write_deck(path: Path, trial: Trial) -> list[TrueFrame]:
    """Valve island over Modbus RTU at 19.2 kbit/s: both directions on one pair, seen as a logic line."""
    random = trial.random("deck")
    wires = Drawing(bus=1)
    truth: list[TrueFrame] = []
    bit_ns = 1e9 / 19_230
    zero = trial.at_ns(0)
    for second in np.arange(0.3, trial.length_s - 0.4, 0.5):
        number = round((second - 0.3) * 2)
        valves = (0b101 if 60 <= second % LOOP_S < 110 else 0b1) | (0x80 if second % LOOP_S > _PUMP_S else 0)
        pressure = round((82 + 6 * np.sin(second / 9)) * 10)
        flow = round(max(0.0, 30 + trial.signal("wheel", second) * 0.4) * 10)
        for unit, request, answer, data_in, data_back in (
            (17, bytes((17, 15, 0, 0, 0, 8, 1, valves)), bytes((17, 15, 0, 0, 0, 8)), bytes((valves,)), b"\x00\x08"),
            (17, struct.pack(">BBHH", 17, 4, 10, 3), b"", b"\x00\x03",
             struct.pack(">HHH", pressure, flow, 215 + number % 7)),
        ):  # fmt: skip
            function = request[1]
            answer = answer or bytes((unit, function, len(data_back))) + data_back
            register = 0 if function == 15 else 10
            address = unit << 24 | function << 16 | register
            wires.wait_until(second * 1e9 if function == 15 else wires.now_ns + 3e6)
            fault = {(25, 15): "unanswered", (61, 4): "bad check"}.get((number % 120, function), "")
            faults = ("unanswered",) if fault == "unanswered" else ()
            truth.append(TrueFrame(zero + round(wires.now_ns), address, data_in, faults))
            send_characters(wires, bit_ns, _with_crc(request), "bus")
            if fault == "unanswered":
                wires.wait(12e6)
                continue
            wires.wait(4e6 + 1e6 * random.random())
            sent = _with_crc(answer)
            if fault == "bad check":
                # a disturbance turned one bit of the pressure
                sent = sent[:4] + bytes((sent[4] ^ 0x10,)) + sent[5:]
                truth[-1] = TrueFrame(truth[-1].time_ns, address, data_in, ("unanswered",))
                truth.append(TrueFrame(zero + round(wires.now_ns), unit << 24 | function << 16, sent, ("bad check",)))
            else:
                truth.append(TrueFrame(zero + round(wires.now_ns), address, data_back, ("answer",)))
            send_characters(wires, bit_ns, sent, "bus")
    first, times = wires.toggles("bus", 900.0, random)
    times = with_glitches(times, random, max(3, round(trial.length_s / 8)), 400)
    files.write_vcd(path, "deck", {"bus": (first, times)}, zero, round(wires.now_ns + 5e6))
    return truth


def _with_crc(data: bytes) -> bytes:
    crc = 0xFFFF
    for byte in data:
        crc ^= byte
        for _ in range(8):
            crc = crc >> 1 ^ 0xA001 if crc & 1 else crc >> 1
    return data + struct.pack("<H", crc)


DECK = Device("deck", "Modbus RTU", "deck-bus.vcd.gz", write_deck)
