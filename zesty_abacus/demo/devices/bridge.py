"""The infrared remote of the bridge."""

from __future__ import annotations

from pathlib import Path

from .device import Device, Trial, TrueFrame, begin_of


def write_bridge(path: Path, trial: Trial) -> list[TrueFrame]:
    """Infrared remote of the bridge's climate unit: a long leader, bits in the distance of pulses, sent twice."""
    random = trial.random("bridge")
    parts: list[str] = ["# climate remote on the bridge, lengths in microseconds"]
    truth = []
    time = 0.0
    zero = trial.at_ns(begin_of(15.0, trial.length_s))

    def pulse(length: float, sign: str) -> str:
        nonlocal time
        actual = round(length + random.normal(0, 22))
        time += actual
        return f"{sign}{actual}"

    for number in range(6):
        line: list[str] = []
        first = time + 5100
        body = bytes((0x5A, 0xA5, 16 + number, 0b0101_0000 | number % 3, 0x03))
        message = body + bytes((sum(body) & 0xFF,))
        for repeat in range(2):
            line += [pulse(3400, "+"), pulse(1700, "-")]
            for byte in message:
                for n in range(8):
                    line += [pulse(430, "+"), pulse(1290 if byte >> (7 - n) & 1 else 430, "-")]
            line += [pulse(430, "+"), pulse(29_000 if repeat == 0 else 1_500_000, "-")]
        parts.append(" ".join(line))
        truth.append(TrueFrame(zero + round(first * 1000), 48, message, ("voted",)))
    path.write_text("\n".join(parts) + "\n", encoding="ascii")
    return truth


BRIDGE = Device("bridge", "infrared", "bridge-remote.pulses", write_bridge, dated=False, begins_s=15.0)
