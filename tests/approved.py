"""What the program says, held against texts that somebody has read and found right.

A text lies in ``tests/approved``. Whoever changes what is said makes it anew with ``APPROVE=1``, reads what differs,
and keeps it with the change. Its numbers have no oracle but the reader: a difference that nobody wanted is a fault.
"""

from __future__ import annotations

import difflib
import os
from collections.abc import Iterable, Mapping
from pathlib import Path

FOLDER = Path(__file__).parent / "approved"
_MOST_SHOWN = 60
_WHAT_TO_DO = "Something is said otherwise. If that is meant, make the texts anew with APPROVE=1 and read what differs."


def hold_against_approved(name: str, said: Iterable[str]) -> None:
    """Fail with what differs if lines are not those of the approved text; with ``APPROVE=1``, keep them as it."""
    differ = _differences(name, said)
    assert not differ, "\n".join([_WHAT_TO_DO, *differ[:_MOST_SHOWN]])


def hold_all_against_approved(folder: str, texts: Mapping[str, Iterable[str]]) -> None:
    """The same with several texts of a folder, all of which are looked at."""
    differ = [line for name, said in texts.items() for line in _differences(f"{folder}/{name}", said)]
    assert not differ, "\n".join([_WHAT_TO_DO, *differ[:_MOST_SHOWN]])


def _differences(name: str, said: Iterable[str]) -> list[str]:
    path = FOLDER / f"{name}.txt"
    lines = [line.rstrip() for line in said]
    if os.environ.get("APPROVE") == "1":
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text("\n".join(lines) + "\n")
    approved = path.read_text().splitlines() if path.exists() else []
    return list(difflib.unified_diff(approved, lines, f"{name} approved", f"{name} said", lineterm="", n=1))
