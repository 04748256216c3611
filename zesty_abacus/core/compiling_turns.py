"""One process at a time compiles a kernel; the others wait for it, and take what it has kept.

Programs that are started side by side, or the workers of an archive, would each compile the same kernels for minutes.
Worse, Numba keeps all versions of a kernel under one index, which it reads, changes and writes: of two processes that
do so at once one may be left with the index of one version and the code of another.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
from pathlib import Path

from .waiting_lock import lock_within

_LOOK_S = 0.02
_PATIENCE_S = 300.0
"""Of who waits for somebody that does not go on: after it each compiles for itself, as without turns."""


class Turn:
    """The right to compile a kernel, which ends with its process at the latest.

    Parameters
    ----------
    path
        Of an empty file that stands for the kernel. Where it cannot be made there are no turns.
    """

    def __init__(self, path: Path) -> None:
        self._descriptor = -1
        try:
            descriptor = os.open(path, os.O_CREAT | os.O_RDWR | os.O_CLOEXEC, 0o666)
        except OSError:
            return  # compiled kernels of all users, which are only read; what is compiled here is kept by nobody
        with contextlib.suppress(OSError):  # a file system that knows no locks
            if lock_within(descriptor, _PATIENCE_S, _LOOK_S):
                self._descriptor = descriptor
                return
        os.close(descriptor)

    def end(self) -> None:
        """Let others compile."""
        if self._descriptor >= 0:
            # a program that was started meanwhile has the same lock until it is its own: closing it is not enough
            fcntl.flock(self._descriptor, fcntl.LOCK_UN)
            os.close(self._descriptor)
            self._descriptor = -1
