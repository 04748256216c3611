"""What can go wrong with what is connected."""

from __future__ import annotations

from ..errors import DataError


class EndpointError(DataError):
    """An endpoint that cannot be opened, or does not take what is sent."""


class LinkDownError(EndpointError):
    """A connection that was lost; it may come back, and the endpoint can be opened again."""
