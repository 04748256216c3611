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

REFUSED = 1 << 9
"""A receiver did not acknowledge."""
BAD_CHECK = 1 << 10
"""A checksum that belongs to the link itself does not agree."""
FRAMING = 1 << 11
"""The line broke its own rules: a stop bit that is low, a word cut by a stop, six equal bits."""
PARITY = 1 << 12
"""A parity bit does not agree."""
READ = 1 << 13
"""The device was asked to give, not to take: I2C read, Modbus read."""
ANSWER = 1 << 14
"""What a device answers: the second data line of SPI, a Modbus answer, a status word."""
UNANSWERED = 1 << 15
"""A request that nobody answered."""
LATE = 1 << 16
"""An answer after the time allowed."""
EXCEPTION = 1 << 17
"""An answer that refuses, with a code."""
PAST_END = 1 << 18
"""Goes beyond the last register of the device."""
UNSURE_LEVEL = 1 << 19
"""The recording did not know the level of a line within the frame."""
LOST_BEFORE = 1 << 20
"""Bytes of the stream are missing before this frame."""
VOTED = 1 << 21
"""Made from repeats, bit by bit."""
BREAK = 1 << 22
"""The line was held longer than a character."""
PACKET = 1 << 23
"""A whole network packet, not yet taken apart; the address is its link type."""

WRONG = (
    ERROR | CUT_SHORT | REFUSED | BAD_CHECK | FRAMING | PARITY | UNANSWERED | LATE | EXCEPTION | PAST_END
    | UNSURE_LEVEL | LOST_BEFORE
)  # fmt: skip
"""Flags that say that something went wrong."""

TELLS_KINDS_APART = EXTENDED | REMOTE | ERROR | READ | ANSWER | EXCEPTION
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
    (REFUSED, "not acknowledged"),
    (BAD_CHECK, "bad check"),
    (FRAMING, "framing"),
    (PARITY, "parity"),
    (READ, "read"),
    (ANSWER, "answer"),
    (UNANSWERED, "unanswered"),
    (LATE, "late"),
    (EXCEPTION, "exception"),
    (PAST_END, "past the end"),
    (UNSURE_LEVEL, "unsure level"),
    (LOST_BEFORE, "lost before"),
    (VOTED, "voted"),
    (BREAK, "break"),
    (PACKET, "packet"),
)


def named_flags() -> tuple[tuple[int, str], ...]:
    """Return every flag with what it is called."""
    return _WORDS


def direction_word(flags: int) -> str:
    """Return ``"received"``, ``"sent"`` or ``""`` when the recording does not say."""
    return "sent" if flags & SENT else "received" if flags & RECEIVED else ""


def flag_words(flags: int) -> str:
    """Return the set flags other than the direction as words, space separated, ``_`` inside a word."""
    hidden = RECEIVED | SENT
    return " ".join(word.replace(" ", "_") for bit, word in _WORDS if flags & bit & ~hidden)


def flags_of_words(text: str) -> tuple[int, list[str]]:
    """Return the flags that words name as :func:`flag_words` writes them, and the words that name none."""
    known = {word.replace(" ", "_"): bit for bit, word in _WORDS}
    words = text.lower().split()
    bits = 0
    for word in words:
        bits |= known.get(word, 0)
    return bits, [word for word in words if word not in known]


_DIRECTIONS = (
    (SENT, ("s", "t", "tx", "sent", "send", "transmit", "transmitted", "out", ">")),
    (RECEIVED, ("r", "rx", "received", "receive", "in", "<")),
    (READ, ("read", "rd")),
    (ANSWER, ("answer", "response", "reply", "resp")),
    # what nothing is said of is a write, or a request
    (0, ("write", "wr", "request", "req", "query")),
)


def flags_of_direction(text: str) -> tuple[int, list[str]]:
    """Return the flags that words of a direction stand for, and those that stand for none.

    Tables write which way a frame went as seen from the recorder, and on lanes with reads and answers also what it was.
    """
    known = {word: bit for bit, words in _DIRECTIONS for word in words}
    words = text.lower().split()
    bits = 0
    for word in words:
        bits |= known.get(word, 0)
    return bits, [word for word in words if word not in known]


def wrong_words(flags: int) -> str:
    """Return what went wrong in words, comma separated; nothing if all is well."""
    return ", ".join(word for bit, word in _WORDS if flags & bit & WRONG)
