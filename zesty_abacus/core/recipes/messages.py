"""Puts CAN frames together to messages while they come in, so that memory does not grow with the recording."""

from __future__ import annotations

from collections.abc import Callable
from typing import cast

import numpy as np

from ..errors import MisuseError
from ..frames.table import FrameTable
from ..links.framing import framing_of
from ..links.over_can import TAKES, OverCan
from .model import Recipe

MEASURED_FRAMES = 1 << 18
"""Frames that settings are measured from, where a recipe leaves them open."""


class MessageFramer:
    """Hands messages on as soon as they are over; frames of those that are not wait for more.

    Attributes
    ----------
    messages
        How many were handed on.
    """

    def __init__(self, recipe: Recipe, put: Callable[[FrameTable], None]) -> None:
        """Take a recipe whose framing is over CAN.

        Raises
        ------
        MisuseError
            If it is none.
        """
        assert recipe.framing is not None
        way = framing_of(recipe.framing)
        if way.takes != TAKES:
            raise MisuseError(f"{way.name} takes {way.takes}, and this recording holds CAN frames.", where=recipe.name)
        self._way = cast(OverCan, way)
        self._settings = recipe.framing
        self._put = put
        self._held: list[FrameTable] = []
        self._is_measured = False
        self.messages = 0

    def add(self, chunk: FrameTable) -> None:
        """Take frames, in the order in which they were recorded."""
        self._held.append(chunk)
        if self._is_measured or sum(map(len, self._held)) >= MEASURED_FRAMES:
            self._hand_on(ends=False)

    def finish(self) -> None:
        """Hand on what is left."""
        self._hand_on(ends=True)

    def _hand_on(self, *, ends: bool) -> None:
        if not self._held:
            return
        table = FrameTable.joined(self._held)
        if not self._is_measured:
            self._settings, self._is_measured = self._way.measured(self._settings, table), True
        made, waits = self._way.messages(self._settings, table, ends=ends)
        if len(made):
            self._put(made)
            self.messages += len(made)
        rows = np.flatnonzero(waits)
        self._held = [] if ends or not len(rows) else [table.chosen(rows).compact()]
