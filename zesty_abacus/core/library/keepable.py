"""What every layout must be before a library keeps it, whoever asks."""

from __future__ import annotations

from ..layouts.model import Layout
from ..layouts.validate import check_layout
from .errors import InvalidLayoutError


def check_keepable(layout: Layout, where: str) -> None:
    """Check that a layout can be decoded with.

    Raises
    ------
    InvalidLayoutError
        With the first problem.
    """
    problems = check_layout(layout)
    if problems:
        raise InvalidLayoutError(
            f"{layout.name or 'a layout without a name'} is not kept: {problems[0].sentence}", where=where
        )
