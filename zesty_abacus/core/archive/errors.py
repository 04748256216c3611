"""What goes wrong with archives."""

from __future__ import annotations

from ..errors import DataError


class ArchiveError(DataError):
    """An archive that cannot be worked on."""


class ClusterError(DataError):
    """The processes that should work cannot be had."""
