"""What can stand in the way of drawing frames."""

from __future__ import annotations

from ..errors import DataError


class DrawError(DataError):
    """Frames that a line code cannot carry as they are."""
