"""What goes wrong on the way to the other side."""

from __future__ import annotations

from ..errors import DataError


class AwayError(DataError):
    """The other side did not take a reading; it is tried again."""


class ForwardError(DataError):
    """Readings cannot be kept, or there is nothing to forward."""
