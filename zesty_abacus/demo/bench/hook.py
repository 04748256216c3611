"""The tow hook: it opens when it is asked to and the line is slack, and refuses under load."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from ...core.codec.encode import Value
from ...core.codec.messages import encode_message
from ...core.layouts.model import Layout
from ...core.live.endpoint import Outgoing
from ..layouts import can_layout, make_field
from ..simulator import crc8

REQUEST, ANSWER = 0x3B0, 0x3B1
LANE = "thruster"
MOST_PULL_KN = 2.0
"""Above this pull the hook stays closed."""
_RESULTS = {0: "idle", 1: "released", 2: "refused", 3: "closed again"}
_WANTED = {0: "nothing", 1: "release", 2: "close"}


def hook_layouts() -> tuple[Layout, Layout]:
    """Return the layouts of what the hook is asked and what it answers."""
    asked = [
        make_field("wanted", "B0[1..0]", "names", names=_WANTED),
        make_field("turn counter", "B2[3..0]"),
        make_field("check", "B3"),
    ]
    told = [
        make_field("result", "B0[1..0]", "names", names=_RESULTS),
        make_field("closed", "B0[7]", "flag"),
        make_field("pull", "B2 B1", step="0.01", unit="kN", limits=(0, 200)),
        make_field("turn counter", "B4[3..0]"),
        make_field("check", "B5"),
    ]
    return (
        can_layout("Hook request", LANE, REQUEST, asked, 4, "bench"),
        can_layout("Hook state", LANE, ANSWER, told, 6, "hook controller"),
    )


class Hook:
    """The hook's controller.

    Attributes
    ----------
    is_closed
    """

    def __init__(self) -> None:
        self.is_closed = True
        self._request, self._state = hook_layouts()
        self._result = "idle"
        self._sent = 0

    def asked(self, payload: bytes, pull_kn: float) -> bool:
        """Do what a request asks for; return whether it was one: wrong checks and sizes are ignored."""
        if len(payload) != self._request.size or _check_of(payload) != payload[-1]:
            return False
        wanted = _WANTED.get(payload[0] & 3, "nothing")
        if wanted == "release":
            self.pressed(pull_kn)
        elif wanted == "close":
            self._result, self.is_closed = "closed again", True
        return True

    def pressed(self, pull_kn: float) -> None:
        """Open, unless there is load on it."""
        refuses = self.is_closed and pull_kn > MOST_PULL_KN
        self._result = "refused" if refuses else "released"
        self.is_closed = self.is_closed and refuses

    def state(self, pull_kn: float) -> Outgoing:
        """Return the hook's frame as it is now."""
        values: dict[str, Value] = {
            "result": self._result,
            "closed": int(self.is_closed),
            "pull": Fraction(round(max(pull_kn, 0.0) * 100), 100),
            "turn counter": self._sent % 16,
        }
        self._sent += 1
        return Outgoing(encode_message(self._state, values).payload, ANSWER)


def _check_of(payload: bytes) -> int:
    return int(crc8(np.frombuffer(payload, np.uint8)[None, :-1])[0])
