"""Bits of a frame's ``flags`` column.

Plain integers, so that compiled kernels can use them as constants.
"""

from __future__ import annotations

RECEIVED = 1 << 0
SENT = 1 << 1
EXTENDED = 1 << 2
"""The address is a 29-bit CAN identifier."""
REMOTE = 1 << 3
"""A CAN remote frame: asks for data and carries none."""
ERROR = 1 << 4
"""An error frame as SocketCAN reports it; the address holds the error class."""
LONG = 1 << 5
"""A CAN FD frame (ISO 11898-1:2015), up to 64 bytes."""
RATE_SWITCH = 1 << 6
"""CAN FD: the data phase ran at the higher bit rate (BRS)."""
ERROR_PASSIVE = 1 << 7
"""CAN FD: the sender was error passive (ESI)."""
CUT_SHORT = 1 << 8
"""Fewer payload bytes were recorded than the frame had."""

TELLS_KINDS_APART = EXTENDED | REMOTE | ERROR
"""Flags that, beside lane and address, make a frame another kind of message."""

_WORDS = (
    (RECEIVED, "received"),
    (SENT, "sent"),
    (EXTENDED, "extended"),
    (REMOTE, "remote"),
    (ERROR, "error"),
    (LONG, "long"),
    (RATE_SWITCH, "rate switch"),
    (ERROR_PASSIVE, "error passive"),
    (CUT_SHORT, "cut short"),
)


def direction_word(flags: int) -> str:
    """Return ``"received"``, ``"sent"`` or ``""`` when the recording does not say."""
    return "sent" if flags & SENT else "received" if flags & RECEIVED else ""


def flag_words(flags: int) -> str:
    """Return the set flags other than the direction as words, space separated, ``_`` inside a word."""
    hidden = RECEIVED | SENT
    return " ".join(word.replace(" ", "_") for bit, word in _WORDS if flags & bit & ~hidden)
