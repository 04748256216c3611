"""Under which name changes are kept where nobody said one."""

from __future__ import annotations

import getpass


def default_author() -> str:
    """Return the name under which this user's changes are kept."""
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return "somebody"
