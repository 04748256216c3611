"""The beacon, which sends two tones."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np

from .. import files
from ..wires import changes_of, hdlc_bits
from .device import Device, Trial, TrueFrame, begin_of


def write_beacon(path: Path, trial: Trial) -> list[TrueFrame]:
    """Position beacon: packets of HDLC at 1200 bit/s, two tones at 1200 and 2200 Hz, with noise and one broken."""
    random = trial.random("beacon")
    rate = 11_025
    begins = begin_of(20.0, trial.length_s)
    zero = trial.at_ns(begins)
    length = 12.0
    phase_step = np.zeros(round(length * rate))
    truth = []
    for number, second in enumerate(np.arange(0.6, length - 0.8, 1.8)):
        north, east = trial.signal("north_m", begins + second), trial.signal("east_m", begins + second)
        speed = round(trial.signal("water_speed", begins + second) * 100)
        payload = b"YZ7" + struct.pack(">BiihH", number, round(north * 100), round(east * 100), speed, 3712 - number)
        payload += _swell(trial, begins + second, number) + _extras(trial, begins + second, number)
        broken = number == 3
        bits = changes_of(hdlc_bits(payload, 20, 0x1234 if broken else None))
        truth.append(
            TrueFrame(zero + round((second + 19 * 8 / 1200) * 1e9), 0, payload, ("bad check",) if broken else ())
        )
        edges = np.rint((second + np.arange(len(bits) + 1) / 1200) * rate).astype(np.int64)
        for level, first, last in zip(bits, edges, edges[1:], strict=False):
            phase_step[first:last] = 2 * np.pi * (1200 if level else 2200) / rate
    wave = np.sin(np.cumsum(phase_step)) * (phase_step > 0) * 0.5
    files.write_wav(path, rate, wave + random.normal(0, 0.04, len(wave)), 16)
    return truth


def _swell(trial: Trial, second: float, number: int) -> bytes:
    """Return the swell the beacon rode in the last seconds, a height each half second; not in every packet."""
    count = 0 if number % 3 == 2 else 8 + number % 3 * 4
    times = second + np.arange(count) * 0.5
    heights = np.rint(50 * (0.5 * np.sin(times * 1.1) + 0.2 * np.sin(times * 2.7 + 1))).astype(np.int8)
    return bytes((0x80 | count if count else 0, 5)) + heights.tobytes()


def _extras(trial: Trial, second: float, number: int) -> bytes:
    """Return what else the beacon says, as a list of type, length and value."""
    said = {1: struct.pack(">bB", 37 + number, 1 + number % 2)}
    if number % 2:
        said[2] = b"slack water" if number % 4 == 1 else b"drifting"
    if number == 4:
        body = f"YZHDG,{trial.signal('heading', second) % 360:06.2f},T"
        check = 0
        for letter in body.encode():
            check ^= letter
        said[3] = f"${body}*{check:02X}".encode()
    if number == 5:
        said[4] = _self_test()
    return b"".join(bytes((kind, len(value))) + value for kind, value in said.items())


def _self_test() -> bytes:
    """Return what the beacon found out about itself, in the codes of the parts it is made of."""
    serial, software = bytes((0x04, 0x71)), b"\x02\x31"
    tilt, trim, vane = 0x80 | 3, 0xFF ^ 6, 13 ^ 13 >> 1
    head = serial + software + bytes((tilt, trim, vane, 180, 0xFF ^ 96, 0xFF))
    faults, place = bytes((17, 2, 31, 1)), b"pier 12"
    body = head + bytes((len(faults), len(place), 0x9C, 0x41)) + b"deck team\0" + faults + place
    # the clock in it reads whole words, so the minutes since the last test begin at an even byte
    body += b"\0" * (len(body) % 2) + struct.pack(">H", 4321)
    return body + bytes((12, 11, 9, 8))


BEACON = Device("beacon", "two tones", "beacon.wav", write_beacon, dated=False, begins_s=20.0)
