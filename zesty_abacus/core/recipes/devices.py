"""Frames of a bus as what they mean to its devices, a batch after the other."""

from __future__ import annotations

from collections.abc import Callable
from typing import cast

from ..errors import MisuseError
from ..frames import flags as F
from ..frames.table import FrameTable
from ..links.framing import FrameWay, framing_of
from .model import Recipe


class DeviceFramer:
    """Hands frames on as they come in; where each device stands is kept from batch to batch.

    Attributes
    ----------
    frames
        How many were handed on.
    """

    def __init__(self, recipe: Recipe, put: Callable[[FrameTable], None]) -> None:
        """Take a recipe whose framing takes frames.

        Raises
        ------
        MisuseError
            If it takes something else.
        """
        assert recipe.framing is not None
        way = framing_of(recipe.framing)
        if way.takes != "frames":
            raise MisuseError(f"{way.name} takes {way.takes}, and this recording holds frames.", where=recipe.name)
        self._name, self._where = way.name, recipe.name
        self._follow = cast(FrameWay, way).begin(recipe.framing)
        self._put = put
        self._reads = False
        self.frames = 0

    def add(self, chunk: FrameTable) -> None:
        """Take frames, in the order in which they were recorded."""
        self._reads = self._reads or bool((chunk.flags & F.READ).any())
        made = self._follow(chunk)
        self.frames += len(made)
        self._put(made)

    def finish(self) -> None:
        """End; raises MisuseError if nothing was read at all, since then these are no registers."""
        if not self._reads:
            raise MisuseError(
                f"{self._name} takes frames, and this recording holds frames that nobody reads.", where=self._where
            )
