"""Modbus over serial line (V1.02): units between pauses, told by their length and CRC; requests and their answers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..lines.result import ByteRun, Fact, LineResult, Marks, table_of
from ..lines.settings import Setting
from ..protocols.modbus import NAME
from ..words import grouped
from .crc import reflected_crc16
from .framing import Framing, byte_run_of
from .modbus_units import LATE_MS, paired, put_pdu


class ModbusRtuFraming(Framing, frozen=True, kw_only=True, tag="modbus rtu"):
    """Modbus on a serial line.

    Attributes
    ----------
    late_ms
    rate
        Of the line in bit/s, by which a pause between units is told; None is measured.
    pause_ms
        What is a pause, whatever the rate; None follows from the rate.
    """

    late_ms: float = LATE_MS
    rate: float | None = None
    pause_ms: float | None = None

    @property
    def waits_ms(self) -> float:
        """How long a unit may pause."""
        return self.pause_ms or 0.0


class _Rtu:
    name = "Modbus RTU"
    takes = "bytes"
    protocol = NAME
    settings = ModbusRtuFraming
    fields = (
        Setting("late_ms", "late after", "number", "ms"), Setting("rate", "bit rate", "number", "bit/s", measured=True),
        Setting("pause_ms", "pause", "number", "ms", measured=True),
    )  # fmt: skip

    def apply(self, settings: ModbusRtuFraming, result: LineResult) -> LineResult:
        run = byte_run_of(result)
        value = run.value.astype(np.uint8)
        units = _units(run, settings)
        count = len(units)
        frames, payload = paired(_pair, value, units, settings.late_ms)
        rows = result.marks.rows.copy()
        rows[:, 5] = np.repeat(np.arange(count), units[:, 1] - units[:, 0])
        frames[:, 1] = run.end_ns[units[:, 1] - 1]
        if count:
            # a wrong parity bit is a fault of its unit, whatever the CRC says; units lie side by side
            frames[:, 3] |= np.bitwise_or.reduceat(run.flags.astype(np.int64), units[:, 0])
        table, ends = table_of(frames, payload)
        good = int((units[:, 2] & F.BAD_CHECK == 0).sum())
        told = Fact("units", float(count), "", f"{grouped(good)} of {grouped(count)} have a CRC-16 that agrees")
        return LineResult(table, ends, Marks(rows), run, None, (*result.facts, told))

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        run = byte_run_of(result)
        if len(run) < 8:
            return None
        units = _units(run, ModbusRtuFraming())
        count = len(units)
        agrees = units[:, 2] & F.BAD_CHECK == 0
        good = int(agrees.sum())
        if good < 2 or good < 0.5 * count:
            return None
        # others frame their telegrams with this CRC as well, but their second byte is no function
        begins = units[agrees, 0]
        is_known = np.isin(run.value[begins + 1] & 0x7F, _FUNCTIONS) & (run.value[begins] <= _LAST_UNIT)
        share = float(is_known.mean())
        if share < 0.5:
            return None
        score, reason = 0.5 + 0.5 * good / count, f"{grouped(good)} of {grouped(count)} units have a CRC-16 that agrees"
        if share < 0.98:
            score, reason = score * share**2, f"{reason}; {share:.0%} of them ask for a function that there is"
        return ModbusRtuFraming(), score, reason


FRAMINGS = (_Rtu(),)


_FUNCTIONS = (*range(1, 9), 11, 12, *range(15, 18), *range(20, 25), 43, *range(65, 73), *range(100, 111))
"""Public functions and those left to users (Modbus application protocol V1.1b3, 5)."""
_LAST_UNIT = 247
_CHARACTER_BITS = 11
_PAUSE_CHARACTERS = 3.5
_MEASURED_BYTES = 20_000
_SHARES = (0.25, 0.5, 0.75, 0.9, 0.95, 0.99)


def _units(run: ByteRun, settings: ModbusRtuFraming) -> NDArray[np.int64]:
    """Return units as :func:`_find_units` gives them, between pauses that are given, or else measured."""
    value = run.value.astype(np.uint8)
    pause = _pause_ns(run, value, settings)
    units = np.empty((len(run) + 1, 4), np.int64)
    return units[: _find_units(value, run.start_ns, run.end_ns, pause, units)]


def _pause_ns(run: ByteRun, value: NDArray[np.uint8], settings: ModbusRtuFraming) -> float:
    if settings.pause_ms is not None:
        return settings.pause_ms * 1e6
    if settings.rate:
        return _PAUSE_CHARACTERS * _CHARACTER_BITS / settings.rate * 1e9
    own = _PAUSE_CHARACTERS * float(np.median(run.end_ns - run.start_ns)) if len(run) else 1.0
    return _measured_pause(run, value, own)


def _measured_pause(run: ByteRun, value: NDArray[np.uint8], own: float) -> float:
    """Return the pause with which most bytes lie in units whose CRC agrees; ``own`` is that of the line's characters.

    A log of bytes has the times at which they were handed over, one by one or in pieces, not those of the line: how
    long a byte takes is not known, but of all distances in the log one parts the units.
    """
    some = slice(0, _MEASURED_BYTES)
    start, end = run.start_ns[some], run.end_ns[some]
    apart = np.maximum(start[1:] - end[:-1], 0)
    tried = [own, *np.quantile(apart, _SHARES).tolist()] if len(apart) else [own]
    units = np.empty((len(start) + 1, 4), np.int64)
    best, most = own, -1
    for pause in dict.fromkeys(tried):
        found = units[: _find_units(value[some], start, end, pause, units)]
        good = found[found[:, 2] & F.BAD_CHECK == 0]
        inside = int((good[:, 1] - good[:, 0]).sum())
        if inside > most:
            best, most = pause, inside
    return best


@njit(cache=True, nogil=True)
def crc16(data, first, last):  # type: ignore[no-untyped-def]
    """Return the CRC of Modbus over serial line V1.02, 6.2.2: polynomial 0xA001 reflected, start 0xFFFF."""
    return reflected_crc16(data, first, last, 0xA001)


@njit(cache=True, nogil=True)
def _crc_agrees(data, first, last):  # type: ignore[no-untyped-def]
    return crc16(data, first, last - 2) == data[last - 2] | np.int64(data[last - 1]) << 8


@njit(cache=True, nogil=True)
def _length_of(data, first, last, answer):  # type: ignore[no-untyped-def]
    """Return how long the unit at a place should be as a request or as an answer, with its CRC; 0 if unknown."""
    function = data[first + 1]
    if function & 0x80:
        return 5 if answer else 0
    if function in (1, 2, 3, 4):
        if not answer:
            return 8
        return 5 + np.int64(data[first + 2]) if first + 2 < last else 0
    if function in (5, 6):
        return 8
    if function in (15, 16):
        if answer:
            return 8
        return 9 + np.int64(data[first + 6]) if first + 6 < last else 0
    if function == 22:
        return 10
    if function == 23:
        if answer:
            return 5 + np.int64(data[first + 2]) if first + 2 < last else 0
        return 13 + np.int64(data[first + 10]) if first + 10 < last else 0
    return 0


@njit(cache=True, nogil=True)
def _find_units(data, starts, ends, gap, units):  # type: ignore[no-untyped-def]
    """Find units: by their length if the CRC agrees there, else from silence to silence.

    Rows are first byte, after the last, flags, time. A unit may be split by a pause and two may touch; its own
    length and CRC settle that. What has no CRC that agrees is kept as it is, from silence to silence, and marked.
    """
    n = len(data)
    count = at = 0
    while at < n:
        silent = at + 1
        while silent < n and starts[silent] - ends[silent - 1] <= gap:
            silent += 1
        found = 0
        # unknown functions and odd lengths: the whole stretch, if its CRC agrees
        if 4 <= silent - at <= 256 and _crc_agrees(data, at, silent):
            found = silent - at
        for answer in range(2):
            if found == 0 and at + 4 <= n:
                length = _length_of(data, at, n, answer == 1)
                inside = True
                for byte in range(at + 1, min(at + length, n)):
                    if starts[byte] - ends[byte - 1] > 12 * gap:
                        inside = False
                if 4 <= length <= 256 and at + length <= n and inside and _crc_agrees(data, at, at + length):
                    found = length
        units[count, 0] = at
        units[count, 3] = starts[at]
        if found:
            units[count, 1] = at + found
            units[count, 2] = 0
        else:
            units[count, 1] = silent
            units[count, 2] = F.CUT_SHORT | F.BAD_CHECK if silent - at < 4 else F.BAD_CHECK
        at = units[count, 1]
        count += 1
    return count


@njit(cache=True, nogil=True)
def _fits_answer(data, first, last, count):  # type: ignore[no-untyped-def]
    """Whether a unit can be the answer to a pending request for ``count`` registers or coils."""
    function = data[first]
    if function & 0x80:
        return last - first == 2
    if function in (1, 2):
        return last - first == 2 + (count + 7) // 8 and data[first + 1] == (count + 7) // 8
    if function in (3, 4):
        return last - first == 2 + 2 * count and data[first + 1] == 2 * count
    if function in (5, 6, 15, 16):
        return last - first == 5
    return True


@njit(cache=True, nogil=True)
def _pair(data, units, late_ns, patience_ns, frames, payload):  # type: ignore[no-untyped-def]
    """Pair requests and answers on a serial line, where one request is open at a time."""
    used = np.int64(0)
    pending = -1
    pending_unit = pending_function = pending_register = pending_count = np.int64(0)
    pending_time = np.int64(0)
    for row in range(len(units)):
        first, last, bad, time = units[row, 0], units[row, 1], units[row, 2], units[row, 3]
        frames[row, 0] = time
        frames[row, 1] = time
        frames[row, 4] = used
        if bad:
            frames[row, 2] = np.int64(data[first]) << 24 if last - first > 3 else np.int64(0)
            if last - first > 3:
                frames[row, 2] |= np.int64(data[first + 1] & 0x7F) << 16
            frames[row, 3] = bad
            for i in range(first, last):
                payload[used] = data[i]
                used += 1
            frames[row, 5] = used - frames[row, 4]
            continue
        unit, function = np.int64(data[first]), np.int64(data[first + 1] & 0x7F)
        begin, end = first + 1, last - 2
        answer = (
            pending >= 0
            and unit == pending_unit
            and function == pending_function
            and time - pending_time <= patience_ns
            and _fits_answer(data, begin, end, pending_count)
        )
        if not answer and (data[first + 1] & 0x80 or (function in (3, 4) and last - first != 8)):
            # an answer whose request was not recorded
            answer = True
            register, exception, used_after = put_pdu(data, begin, end, True, np.int64(0), payload, used)
        else:
            register, exception, used_after = put_pdu(data, begin, end, answer, pending_register, payload, used)
        flags = np.int64(F.ANSWER if answer else 0) | (F.EXCEPTION if exception else 0)
        if answer:
            if pending >= 0 and time - pending_time > late_ns:
                flags |= F.LATE
            pending = -1
        else:
            if pending >= 0:
                frames[pending, 3] |= F.UNANSWERED
            # nobody answers a broadcast
            pending = row if unit else -1
            pending_unit, pending_function, pending_register, pending_time = unit, function, register, time
            pending_count = np.int64(data[first + 4]) << 8 | data[first + 5] if last - first >= 8 else np.int64(0)
        frames[row, 2] = unit << 24 | function << 16 | register
        frames[row, 3] = flags
        used = used_after
        frames[row, 5] = used - frames[row, 4]
    if pending >= 0 and len(units) and units[len(units) - 1, 3] - pending_time > late_ns:
        frames[pending, 3] |= F.UNANSWERED
    return used
