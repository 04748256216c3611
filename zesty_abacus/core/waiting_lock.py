"""A lock on an open file that is waited for, but not for ever."""

from __future__ import annotations

import fcntl
import time


def lock_within(descriptor: int, seconds: float, look_s: float = 0.01) -> bool:
    """Take the lock of an open file; return whether it was had in time.

    Parameters
    ----------
    look_s
        How often is looked whether it is free.

    Raises
    ------
    OSError
        Where the file system knows no locks.
    """
    end = time.monotonic() + seconds
    while True:
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            if time.monotonic() > end:
                return False
            time.sleep(look_s)
        else:
            return True
