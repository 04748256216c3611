"""What framings over CAN have in common: frames of a bus become messages of a lane beside it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..frames.table import FrameTable
from ..lines.result import LineResult, Marks
from ..lines.settings import Setting
from .framing import Framing

TAKES = "CAN frames"


class OverCan:
    """A way of putting CAN frames together. Beside what every way has it works chunk by chunk.

    Attributes
    ----------
    name, takes, protocol, settings, fields
        As of :class:`~zesty_abacus.core.links.framing.FramingWay`.
    """

    name: str
    takes: str = TAKES
    protocol: str
    settings: type[Framing]
    fields: tuple[Setting, ...] = ()

    def measured(self, settings: Any, table: FrameTable) -> Any:
        """Return settings with what is left open measured from the first frames of a recording."""
        return settings

    def messages(self, settings: Any, table: FrameTable, *, ends: bool) -> tuple[FrameTable, NDArray[np.bool_]]:
        """Return the messages that are over, in order of time, and which frames belong to those that are not.

        Parameters
        ----------
        ends
            Whether nothing comes behind these frames.
        """
        raise NotImplementedError

    def apply(self, settings: Any, result: LineResult) -> LineResult:
        """Return a result with messages in the place of its frames."""
        made, _ = self.messages(self.measured(settings, result.frames), result.frames, ends=True)
        return LineResult(made, made.time_ns, Marks.none(), facts=result.facts)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        """Return settings that suit, a score in 0..1 and a reason; None if this way does not suit at all."""
        raise NotImplementedError
