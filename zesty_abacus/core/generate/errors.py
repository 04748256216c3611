"""What goes wrong when code is made."""

from __future__ import annotations

from ..errors import DataError, MisuseError


class CannotCarryError(DataError):
    """Something in a layout that a language does not carry; the message is left out, and why is said."""


class GenerateError(MisuseError):
    """Nothing can be made of what was asked for."""
