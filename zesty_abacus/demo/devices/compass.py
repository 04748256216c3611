"""The compass, which sends sentences."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from .device import Device, Trial, TrueFrame


def write_compass(path: Path, trial: Trial) -> list[TrueFrame]:
    """Compass: sentences twice a second, noted in the pieces in which they came in."""
    random = trial.random("compass")
    lines, truth = [], []
    for number, second in enumerate(np.arange(0.1, trial.length_s, 0.25)):
        heading = trial.signal("heading", second) % 360
        turn = trial.signal("turn_rate", second)
        body = f"YZHDG,{heading:06.2f},T" if number % 2 == 0 else f"YZROT,{turn:+07.3f},A"
        check = 0
        for letter in body.encode():
            check ^= letter
        text = f"${body}*{check:02X}"
        faults: tuple[str, ...] = ()
        sent = text
        if number % 160 == 45:
            sent, faults = text.replace(",", ";", 1), ("bad check",)
        at = trial.at_ns(second)
        truth.append(TrueFrame(at, int.from_bytes(sent[1:6].encode(), "big"), sent.encode(), faults))
        data = sent.encode() + b"\r\n"
        cut = int(random.integers(3, len(data) - 3))
        for offset, part in ((0, data[:cut]), (cut * 0.0021, data[cut:])):
            time = at + round(offset * 1e9)
            lines.append(f"{time // 10**9}.{time % 10**9:09d} < {part.hex(' ').upper()}")
    path.write_text("# compass, 4800 bit/s, as it came in\n" + "\n".join(lines) + "\n", encoding="ascii")
    return truth


COMPASS = Device("compass", "sentences", "compass.bytes", write_compass)
