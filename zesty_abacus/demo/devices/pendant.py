"""The pendant that releases the hook by radio."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from .. import files
from ..physics import MOMENTS
from .device import Device, Trial, TrueFrame, begin_of

_HOOK_S = MOMENTS[2][0]


def write_pendant(path: Path, trial: Trial) -> list[TrueFrame]:
    """Hook release pendant, on-off keyed at 433.92 MHz: bits in the width of pulses, five repeats, one cut off."""
    random = trial.random("pendant")
    rate = 125_000
    begins = begin_of(_HOOK_S - 0.35, trial.length_s)
    zero = trial.at_ns(begins)
    length = 1.15
    count = round(length * rate)
    key, truth = np.zeros(count), []
    bits_of = lambda value: [value >> (25 - n) & 1 for n in range(26)]  # noqa: E731
    presses = ((0.35, 0x2A5C3 << 6 | 0b0110 << 2 | 0b10, 0.42), (0.905, 0x2A5C3 << 6 | 0b1001 << 2 | 0b10, 0.16))
    for second, value, strength in presses:
        at = second
        first = at
        whole = 0
        for _ in range(5):
            if at + 26 * 0.0014 > length:
                break
            for bit in bits_of(value):
                width = (0.00105 if bit else 0.00035) * (1 + 0.02 * random.standard_normal())
                key[round(at * rate) : round((at + width) * rate)] = strength
                at += 0.0014
            at += 0.0105
            whole += 1
        packed = (value << 6).to_bytes(4, "big")
        truth.append(TrueFrame(zero + round(first * 1e9), 26, packed, ("voted",) if whole > 1 else ()))
    # the last burst runs beyond the end of the recording
    tail = length - 0.0105
    for n in range(7):
        key[round((tail + n * 0.0014) * rate) : round((tail + n * 0.0014 + 0.00035) * rate)] = 0.16
    truth.append(TrueFrame(zero + round(tail * 1e9), 7, b"\x00", ("cut short",)))
    time = np.arange(count) / rate
    drift = np.exp(2j * np.pi * (17_400 * time + 300 * time**2))
    noise = random.normal(0, 0.02, count) + 1j * random.normal(0, 0.02, count)
    noted = [(round(0.35 * rate), round(0.24 * rate), "release pressed")]
    files.write_sigmf(path, rate, 433.9e6, zero, key * drift + noise, noted,
                      "Yuzu sea trial, hook release pendant")  # fmt: skip
    return truth


PENDANT = Device("pendant", "OOK 433.9", "pendant.sigmf-meta", write_pendant)
