"""A frame of which no layout is known, as a message whose fields are its bytes: fed and repeated like any other."""

from __future__ import annotations

from dataclasses import dataclass

from ..errors import MisuseError
from ..frames import flags as F
from ..layouts.model import Applies, Layout, new_field, new_layout
from ..layouts.places import parse_places
from ..protocols import can
from ..protocols.registry import protocol_named

MOST_BYTES = 64
"""So many bytes have an entry each."""
_SORTS = {
    can.NAME: {"data": 0, "remote": F.REMOTE, "long": F.LONG, "long, quicker data": F.LONG | F.RATE_SWITCH},
    "registers": {"write": 0, "read": F.READ},
}


@dataclass(frozen=True, slots=True)
class BareFrame:
    """A frame by hand.

    Attributes
    ----------
    layout
        A field a byte.
    flags
        What its frames have besides.
    """

    layout: Layout
    flags: int


def bare_sorts(protocol: str) -> tuple[str, ...]:
    """Return which sorts of frames a protocol has; none where there is only one."""
    return tuple(_SORTS.get(protocol, ()))


def sort_of(protocol: str, flags: int) -> str:
    """Return of which sort a frame with these flags is, empty where there is only one."""
    sorts = _SORTS.get(protocol, {})
    asked = 0
    for one in sorts.values():
        asked |= one
    return next((sort for sort, one in sorts.items() if one == flags & asked), next(iter(sorts), ""))


def bare_frame(protocol: str, address: str, size: int, sort: str = "") -> BareFrame:
    """Return a frame as it is typed.

    Parameters
    ----------
    address
        As :meth:`Protocol.read_address` reads it.
    sort
        One of :func:`bare_sorts`; empty is the first.

    Raises
    ------
    MisuseError
        If there is no such address, sort or size.
    """
    spoken = protocol_named(protocol)
    number, extended = spoken.read_address(address)
    sorts = _SORTS.get(protocol, {})
    if sort and sort not in sorts:
        raise MisuseError(f"there is no {sort!r} frame.", hint=f"There are {', '.join(sorts) or 'no sorts of them'}.")
    if not 0 <= size <= MOST_BYTES:
        raise MisuseError(f"a frame by hand has up to {MOST_BYTES} bytes.")
    fields = [new_field(f"B{byte}", parse_places(f"B{byte}")) for byte in range(size)]
    applies = Applies(protocol=protocol, address=number, extended=extended)
    name = f"{spoken.address_text(number, extended=extended)} by hand"
    return BareFrame(new_layout(name, applies, size, fields), sorts.get(sort, 0))
