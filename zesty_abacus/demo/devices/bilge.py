"""The bilge level sensor on I2C."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np

from ...core.draw.codes.i2c import put_stop
from .. import files
from ..physics import LOOP_S, MOMENTS
from ..wires import Drawing, analog, send_i2c
from .device import Device, Trial, TrueFrame, begin_of

_PUMP_S = MOMENTS[5][0]


def write_bilge(path: Path, trial: Trial) -> list[TrueFrame]:
    """Level sensor on I2C, two analog channels: slow rising flanks, a refused byte, a read past the last register."""
    random = trial.random("bilge")
    half = 1e9 / 99_800 / 2
    wires = Drawing(clock=1, data=1)
    truth: list[TrueFrame] = []
    begins = begin_of(_PUMP_S - 0.02, trial.length_s)
    zero = trial.at_ns(begins)
    length = 0.06
    wires.wait(4e5)
    number = 0
    while wires.now_ns < length * 1e9 - 3.2e6:
        second = begins + wires.now_ns / 1e9
        level = round(142 + 40 * np.clip((_PUMP_S + 0.5 - second % LOOP_S) / 0.5, 0, 1) + number % 3)
        data = struct.pack(">HH", level, round(364 + number % 5))
        start = zero + round(wires.now_ns)
        if number == 7:
            truth.append(TrueFrame(start, 0x5A, b"\x10", ("not acknowledged",)))
            send_i2c(wires, half, 0x5A, False, [(0x10, False)])
            put_stop(wires, half)
        elif number == 15:
            truth.append(TrueFrame(start, 0x5A, b"\x18\x05\x0a\x0f", ()))
            send_i2c(wires, half, 0x5A, False, [(byte, True) for byte in b"\x18\x05\x0a\x0f"])
            put_stop(wires, half)
        elif number == 20:
            truth.append(TrueFrame(start, 0x31, b"", ("not acknowledged",)))
            send_i2c(wires, half, 0x31, False, [], taken=False)
            put_stop(wires, half)
        else:
            truth.append(TrueFrame(start, 0x5A, b"\x10", ()))
            send_i2c(wires, half, 0x5A, False, [(0x10, True)])
            wires.wait(half * (14 if number % 6 == 2 else 1))
            truth.append(TrueFrame(zero + round(wires.now_ns + 2 * half), 0x5A, data, ("read",)))
            send_i2c(wires, half, 0x5A, True, [*((byte, True) for byte in data[:-1]), (data[-1], False)], again=True)
            put_stop(wires, half)
        number += 1
        wires.wait(1.2e6)
    rate = 2e6
    count = round(length * rate)
    clock = analog(wires, "clock", count, rate, 410.0, 0.04, 3.28, 0.035, random)
    data_line = analog(wires, "data", count, rate, 520.0, 0.05, 3.27, 0.035, random)
    files.write_samples(path, ("ch1", "ch2"), rate, zero, (clock, data_line))
    return truth


BILGE = Device("bilge", "I2C 100k", "bilge-scl-sda.csv.gz", write_bilge)
