"""Folders that are dear to make: once for all processes of a run, each of which gets a copy of its own."""

from __future__ import annotations

import fcntl
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest


def made_once(factory: pytest.TempPathFactory, name: str, make: Callable[[Path], None]) -> Path:
    """Return a copy of a folder that the first process of a run that asks for it makes; the others wait for it.

    Parameters
    ----------
    make
        Fills the folder, which is there and empty. If it fails, the next one tries.
    """
    base = factory.getbasetemp()
    # processes side by side have folders beside each other, in one of the run; one by itself has that alone
    run = base.parent if base.name.startswith("popen-") else base
    whole, done = run / f"once-{name}", run / f"once-{name}.done"
    with (run / f"once-{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not done.exists():
            shutil.rmtree(whole, ignore_errors=True)
            whole.mkdir()
            make(whole)
            done.touch()
    own = factory.mktemp(name) / name
    shutil.copytree(whole, own)
    return own
