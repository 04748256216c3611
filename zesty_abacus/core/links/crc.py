"""CRCs of sixteen bits whose bits go in the order of a serial line, the least significant first."""

from __future__ import annotations

from ..compiled import njit


@njit(cache=True, nogil=True)
def reflected_crc16(data, first, last, polynomial):  # type: ignore[no-untyped-def]
    """Return the remainder of the bytes from ``first`` up to ``last``, begun with 0xFFFF; not inverted."""
    crc = 0xFFFF
    for i in range(first, last):
        crc ^= data[i]
        for _ in range(8):
            crc = (crc >> 1) ^ polynomial if crc & 1 else crc >> 1
    return crc
