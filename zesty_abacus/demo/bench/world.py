"""The tug as it is now: her physics run on, and what is sent to her moves levers and hook."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...core.codec.encode import get_value
from ...core.layouts.model import Layout
from ..messages import Message, all_messages
from ..physics import STEP_S, Physics, simulate, start_state

_BEGINS_S = 9.0
"""The bench begins under way with the tow line taut."""
_HELD_S = 2.0
"""So long a lever stays where it was put; then the crew has it again."""
_HELM = "Helm lever"
_LEVERS = {"lever port": "lever_port", "lever starboard": "lever_starboard", "wheel": "wheel"}
_SLACK_KN = 0.05


@dataclass(slots=True)
class _Held:
    value: float
    until_s: float


class World:
    """Advances the tug in steps of her physics.

    Attributes
    ----------
    now_s
        Seconds since the voyage began.
    messages
        What her controllers send.
    """

    def __init__(self, seed: int) -> None:
        self._seed = seed
        self._state = start_state()
        self._held: dict[str, _Held] = {}
        self.messages: list[Message] = all_messages()
        self._helm: Layout = next(one.layout for one in self.messages if one.layout.name == _HELM)
        self._steps = round(_BEGINS_S / STEP_S)
        self._pull = 0.0
        self._tow(simulate(0, self._steps, self._state, seed), is_on=True)

    @property
    def now_s(self) -> float:
        """Seconds since the voyage began."""
        return self._steps * STEP_S

    @property
    def pull_kn(self) -> float:
        """The pull on the tow line."""
        return self._pull

    def advance(self, until_s: float, *, is_on: bool) -> Physics | None:
        """Run on to a time and return what happened; None if that is not a step yet.

        Parameters
        ----------
        is_on
            Whether the tow line is on the hook.
        """
        count = int(until_s / STEP_S) - self._steps
        if count <= 0:
            return None
        held = {name: one.value for name, one in list(self._held.items()) if one.until_s > self.now_s}
        physics = simulate(self._steps, count, self._state, self._seed, held)
        self._tow(physics, is_on=is_on)
        self._steps += count
        return physics

    def _tow(self, physics: Physics, *, is_on: bool) -> None:
        thrust = physics.column("speed_port") + physics.column("speed_starboard")
        physics.column("tow_pull")[:] = (3 + 0.055 * np.maximum(thrust, 0)) * is_on + _SLACK_KN
        self._pull = float(physics.column("tow_pull")[-1])

    def put_levers(self, payload: bytes) -> None:
        """Put levers and wheel where a frame of the helm says."""
        for field in self._helm.fields:
            if field.name in _LEVERS and field.places.size_needed <= len(payload):
                _, value = get_value(payload, field)
                if value is not None:
                    self._held[_LEVERS[field.name]] = _Held(float(value), self.now_s + _HELD_S)
