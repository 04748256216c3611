"""What Modbus has on every line (Modbus application protocol V1.1b3): protocol units, requests and their answers.

Each exchange becomes frames with unit, function and first register in the address, see :func:`address_of`, and the
data alone as payload: of a read, the answer has the registers; of a write, the request has them. The other frame
of the pair has the count, or the value written, as two bytes. Refusals have their code.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..lines.result import FRAME_COLUMNS

LATE_MS = 200.0
"""An answer that takes longer is late."""
_PATIENCE_MS = 1000.0
"""A request that waits longer is not answered."""

Pair = Callable[..., int]
"""A kernel that puts exchanges into frames and payload, and returns how many bytes it used."""


def paired(
    pair: Pair, data: NDArray[np.uint8], units: NDArray[np.int64], late_ms: float
) -> tuple[NDArray[np.int64], NDArray[np.uint8]]:
    """Return a frame a unit, its columns those of :func:`~zesty_abacus.core.lines.result.table_of`, and all payloads.

    Parameters
    ----------
    units
        (n, columns), as the kernel takes them.
    late_ms
        An answer that takes longer is late.
    """
    frames = np.empty((len(units) + 1, FRAME_COLUMNS), np.int64)
    payload = np.empty(len(data) + 4 * len(units) + 8, np.uint8)
    used = pair(data, units, np.int64(late_ms * 1e6), np.int64(_PATIENCE_MS * 1e6), frames, payload)
    return frames[: len(units)], payload[:used]


@njit(cache=True, nogil=True)
def put_pdu(data, first, last, answer, request_register, payload, used):  # type: ignore[no-untyped-def]
    """Put the data of a protocol unit (function code first); return (register, exception, bytes used after)."""
    function = data[first] & 0x7F
    register = np.int64(0)
    exception = data[first] & 0x80 != 0
    begin, end = first + 1, last
    if exception:
        register = request_register
    elif answer:
        register = request_register
        if function in (1, 2, 3, 4, 23, 17, 20):
            begin = first + 2
            end = min(last, first + 2 + np.int64(data[first + 1])) if last > first + 1 else last
        elif function in (5, 6, 15, 16, 22):
            begin = first + 3
    elif function in (1, 2, 3, 4, 5, 6, 15, 16, 22, 23) and last >= first + 3:
        register = np.int64(data[first + 1]) << 8 | data[first + 2]
        begin = first + 3
        if function in (15, 16) and last >= first + 6:
            begin = first + 6
        elif function == 23 and last >= first + 10:
            begin = first + 10
    for i in range(begin, end):
        payload[used] = data[i]
        used += 1
    return register, exception, used
