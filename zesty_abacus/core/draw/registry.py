"""Finds what draws a line code: every module of :mod:`.codes` that has ``DRAWS`` takes part."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any, NamedTuple

from ..discover import discover
from ..lines.settings import LineSettings
from . import codes as package
from .drawing import Drawing
from .errors import DrawError
from .parts import Drawn


class Draws(NamedTuple):
    """What a module of :mod:`.codes` offers.

    Attributes
    ----------
    settings
        The settings of the line code.
    draw
        Takes the settings, what is drawn (as the code's decoder gives it: frames, telegrams or bursts) and returns the
        lines, named by what the settings call them (``clock``, ``data``), not by the channels.
    lead_ns
        How long the lines rest before the first frame, so that its begin can be told.
    """

    settings: type[LineSettings]
    draw: Callable[[Any, Any], Drawing]
    lead_ns: Callable[[Any], float] = lambda _settings: 2_000_000.0


@cache
def drawers() -> dict[type[LineSettings], Draws]:
    """Return what draws each line code, by its settings."""
    return {one.settings: one for one in discover(package, "DRAWS")}


def draw(settings: LineSettings, parts: Drawn) -> Drawing:
    """Draw frames, telegrams or bursts with a line code.

    Raises
    ------
    DrawError
        If nothing draws this code, or it cannot carry them as they are.
    """
    return _drawer(settings).draw(settings, parts)


def lead_ns(settings: LineSettings) -> float:
    """Return how long the lines rest before the first frame; raises as :func:`draw`."""
    return _drawer(settings).lead_ns(settings)


def _drawer(settings: LineSettings) -> Draws:
    found = drawers().get(type(settings))
    if found is None:
        raise DrawError("this line code is read, and cannot be written.")
    return found
