"""Requests of Modbus, and what their answers have to look like (Modbus Application Protocol V1.1b3, clause 6)."""

from __future__ import annotations

import struct

from ...errors import MisuseError
from ...protocols.spaces import Space
from .errors import RefusedError, WrongAnswerError

MOST_REGISTERS = 125
MOST_BITS = 2000
MOST_WRITTEN_REGISTERS = 123
MOST_WRITTEN_BITS = 1968
"""What one request may ask for or carry (6.1 to 6.4, 6.11, 6.12)."""
READS = {Space.COILS: 1, Space.DISCRETE: 2, Space.HOLDING: 3, Space.INPUT: 4}
"""The function that reads each space."""
_ECHOED = (5, 6, 15, 16)
REFUSAL = 0x80


def most_read(space: Space) -> int:
    """Return how many registers or bits of a space one request may read."""
    return MOST_BITS if space.register_bits == 1 else MOST_REGISTERS


def read_request(space: Space, first: int, count: int) -> bytes:
    """Return the request that reads registers or bits; raises MisuseError if they cannot be numbered."""
    if space not in READS or not 0 <= first <= 0xFFFF or not 1 <= count <= most_read(space) or first + count > 0x1_0000:
        raise MisuseError(f"{count} {space.words} from {first} cannot be asked for.")
    return struct.pack(">BHH", READS[space], first, count)


def write_request(space: Space, first: int, count: int, data: bytes) -> bytes:
    """Return the request that writes registers (two bytes each, high byte first) or coils (eight a byte, lowest first).

    Raises
    ------
    MisuseError
        If the space takes no writes, or one request cannot carry so much.
    """
    if space is Space.HOLDING and 1 <= count <= MOST_WRITTEN_REGISTERS and len(data) == 2 * count:
        if count == 1:
            return struct.pack(">BH", 6, first) + data
        return struct.pack(">BHHB", 16, first, count, len(data)) + data
    if space is Space.COILS and 1 <= count <= MOST_WRITTEN_BITS and len(data) == (count + 7) // 8:
        if count == 1:
            return struct.pack(">BHH", 5, first, 0xFF00 if data[0] & 1 else 0)
        return struct.pack(">BHHB", 15, first, count, len(data)) + data
    raise MisuseError(f"{count} {space.words} from {first} cannot be written.")


def register_of(request: bytes) -> int:
    """Return the first register that a request names, 0 if it names none."""
    return int.from_bytes(request[1:3], "big") if len(request) >= 3 and request[0] <= 23 else 0


def data_of_request(request: bytes) -> bytes:
    """Return what a request carries besides function and first register: the count asked for, or what is written."""
    if request[0] in (15, 16):
        return request[6:]
    return request[10:] if request[0] == 23 else request[3:]


def data_of_answer(request: bytes, answer: bytes) -> bytes:
    """Return what an answer carries, if it answers the request.

    Returns
    -------
    bytes
        The registers read, or count or value of a write, as it is echoed.

    Raises
    ------
    RefusedError
        If the device answers with an exception.
    WrongAnswerError
        If it answers something else.
    """
    function = request[0]
    if len(answer) == 2 and answer[0] == function | REFUSAL:
        raise RefusedError(answer[1])
    if not answer or answer[0] != function:
        raise WrongAnswerError(f"the answer is one to function {answer[0] & 0x7F if answer else '?'}, not {function}.")
    if function in (1, 2, 3, 4, 23):
        count = int.from_bytes(request[3:5], "big")
        size = (count + 7) // 8 if function in (1, 2) else 2 * count
        if len(answer) != 2 + size or answer[1] != size:
            raise WrongAnswerError(f"{size} bytes were asked for, and {max(len(answer) - 2, 0)} came.")
        return answer[2:]
    if function in _ECHOED and answer != request[:5]:
        raise WrongAnswerError("the answer names other registers than were written.")
    return answer[3:]
