"""Which functions the code of messages calls; only those that are called are written down."""

from __future__ import annotations

import re

from .helpers.arithmetic import ARITHMETIC
from .helpers.digits import DIGITS
from .helpers.labels import LABELS
from .helpers.lines import LINES
from .helpers.moving import MOVING

_KNOWN = ARITHMETIC | MOVING | DIGITS | LINES | LABELS
"""By name, each behind those that it calls."""


def helpers_for(source: str, prefix: str) -> str:
    """Return the definitions of the helpers that a text calls, and that these call."""
    wanted = _KNOWN.keys() & _called_in(source)
    while more := {name for one in wanted for name in _KNOWN.keys() & _called_in(_KNOWN[one])} - wanted:
        wanted |= more
    return "".join(_KNOWN[name] for name in _KNOWN if name in wanted).replace("@", prefix.upper())


def _called_in(source: str) -> set[str]:
    return set(re.findall(r"(\w+)\(", source))
