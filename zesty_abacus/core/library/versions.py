"""The versions of the tables of a library that this program knows, from the files that make them."""

from __future__ import annotations

from pathlib import Path

MIGRATIONS = Path(__file__).parent / "migrations"
_NUMBER = slice(1, 5)
"""Of the number in a name such as ``v0007_gate.py``, which is that of the version."""


def known_versions() -> list[str]:
    """Return the versions, the newest last."""
    return sorted(path.name[_NUMBER] for path in (MIGRATIONS / "versions").glob("v*.py"))
