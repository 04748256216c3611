"""Trips of the tug, as the command makes them: each once for all processes of a run."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.cli.program import run
from tests.once import made_once


def voyage(factory: pytest.TempPathFactory, length: str, seed: int | None = None) -> Path:
    """Return a copy of one's own of the trial folder of a trip.

    Parameters
    ----------
    length
        As ``demo --length`` takes it.
    """
    which = [] if seed is None else ["--seed", str(seed)]

    def make(folder: Path) -> None:
        code, _, err = run("demo", folder / "yuzu", "--length", length, *which)
        assert code == 0, err

    return made_once(factory, f"voyage-{length}-{seed}", make) / "yuzu"
