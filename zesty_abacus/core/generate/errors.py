"""What goes wrong when code is made."""

from __future__ import annotations

from ..errors import DataError


class CannotCarryError(DataError):
    """Something in a layout that a language does not carry; the message is left out, and why is said."""


class GenerateError(DataError):
    """Nothing can be made of what was asked for."""
