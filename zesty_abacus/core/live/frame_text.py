"""One CAN frame as text, in the notation of SocketCAN logs: ``1A0#0C00``, ``18FF0210#01.02``, ``1A0##1AABB``."""

from __future__ import annotations

import re

from ..errors import MisuseError
from ..frames import flags as F
from .endpoint import Outgoing
from .endpoints.can import unit_of
from .errors import EndpointError

_BYTES = r"((?:[0-9A-Fa-f]{2}\.?)*)"
_FRAME = re.compile(rf"([0-9A-Fa-f]{{3}}|[0-9A-Fa-f]{{8}})#(?:(R)[0-8]?|#([0-9A-Fa-f]){_BYTES}|{_BYTES})")
_EXTENDED_DIGITS = 8
_BRS, _ESI = 1, 2


def parse_frame(text: str) -> Outgoing:
    """Read a frame.

    Raises
    ------
    MisuseError
        If it is none, or none that a CAN bus carries.
    """
    found = _FRAME.fullmatch(text.strip())
    if found is None:
        raise MisuseError(f"{text[:80]!r} is no frame.", hint="Write one such as 1A0#0C00 or 18FF0210#0102.")
    digits, remote, kind, long_hex, hexed = found.groups()
    flags = F.EXTENDED if len(digits) == _EXTENDED_DIGITS else 0
    payload = bytes.fromhex((long_hex if kind is not None else hexed or "").replace(".", ""))
    if remote:
        flags |= F.REMOTE
    if kind is not None:
        bits = int(kind, 16)
        flags |= F.LONG | (F.RATE_SWITCH if bits & _BRS else 0) | (F.ERROR_PASSIVE if bits & _ESI else 0)
    elif len(payload) > 8:
        raise MisuseError("more than 8 bytes are a long frame.", where=text[:80], hint="Write ## and a digit of flags.")
    frame = Outgoing(payload, int(digits, 16), flags)
    try:
        unit_of(frame)
    except EndpointError as error:
        raise MisuseError(error.message, where=text[:80], hint=error.hint) from error
    return frame
