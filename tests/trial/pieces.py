"""Bytes of a serial line as a table, each a row with its time."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path


def crc16(data: bytes) -> bytes:
    """Return the check of Modbus over a serial line (Modbus over Serial Line V1.02, appendix B), low byte first."""
    register = 0xFFFF
    for byte in data:
        register ^= byte
        for _ in range(8):
            register = register >> 1 ^ (0xA001 if register & 1 else 0)
    return register.to_bytes(2, "little")


def write_pieces(path: Path, polls: int = 20, spoilt: int = 0) -> Path:
    """Write polls of three registers of unit 17, each with its answer, some with wrong checks."""
    return write_polls(path, [[number * 10, 100 + number % 5, 7] for number in range(polls)], spoilt)


def write_polls(path: Path, answers: Sequence[Sequence[int]], spoilt: int = 0) -> Path:
    """Write polls of the holding registers from 107 on of unit 17, at 19 200 baud, with what was answered."""
    rows, time_us = ["time,hex"], 0
    for number, registers in enumerate(answers):
        values = b"".join(value.to_bytes(2, "big") for value in registers)
        for unit in (bytes([17, 3, 0, 107, 0, len(registers)]), bytes([17, 3, len(values)]) + values):
            check = crc16(unit) if number >= spoilt else b"\x12\x34"
            for byte in unit + check:
                rows.append(f"{time_us / 1e6:.6f},{byte:02X}")
                time_us += 570
            time_us += 10_000
        time_us += 200_000
    path.write_text("\n".join(rows) + "\n")
    return path
