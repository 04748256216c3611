"""The echo sounder, whose words come as Manchester codes."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np

from .. import files
from ..wires import Drawing, analog, send_manchester
from .device import Device, Trial, TrueFrame, begin_of


def write_sounder(path: Path, trial: Trial) -> list[TrueFrame]:
    """Echo sounder: Manchester words on a bipolar line, sampled as audio with eight bits."""
    random = trial.random("sounder")
    rate, half = 96_000, 1e9 / 6000
    begins = begin_of(44.0, trial.length_s)
    zero = trial.at_ns(begins)
    wires = Drawing(line=0)
    truth = []
    number = 0
    wires.wait(2e7)
    while wires.now_ns < 1.9e9:
        second = begins + wires.now_ns / 1e9
        depth = round((11.4 + 1.8 * np.sin(second / 2.3)) * 100)
        words = (0xA500 | number & 0xFF, depth, 0x0300 | 90 + number % 9)
        truth.append(TrueFrame(zero + round(wires.now_ns), 0, struct.pack(">3H", *words), ()))
        for place, word in enumerate(words):
            send_manchester(wires, half, "000111" if place else "111000", word, "line")
        wires.set(line=0)
        wires.wait(4.5e7)
        number += 1
    count = round((wires.now_ns / 1e9 + 0.01) * rate)
    values = analog(wires, "line", count, rate, 40_000.0, -0.6, 0.6, 0.02, random)
    files.write_wav(path, rate, values, 8)
    return truth


SOUNDER = Device("sounder", "bipolar words", "sounder.wav", write_sounder, dated=False, begins_s=44.0)
