"""Where something goes whose name was chosen in a dialog."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ...core.files.writing import Target


def asked_target(name: str, endings: Sequence[str], inputs: Sequence[Path] = ()) -> Target:
    """Return the target of a chosen name, with the first of some endings if it has none of them.

    The dialog asks before a file of just the chosen name is replaced; nobody was asked about one with an ending added.
    """
    path = Path(name)
    if path.name.lower().endswith(tuple(endings)):
        return Target(path, True, tuple(inputs))
    return Target(path.with_name(path.name + endings[0]), False, tuple(inputs))
