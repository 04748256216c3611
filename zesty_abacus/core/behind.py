"""What is handed on is worked off on a thread of its own, so that whoever makes it can go on meanwhile."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from types import TracebackType
from typing import Any


class Behind:
    """Takes things in their order, each after the one before, at most a few behind who hands them on.

    Use as a context manager: leaving it waits until all is taken. What taking one thing raises comes out when a later
    one is handed on, or at the end, and nothing behind it is taken.
    """

    def __init__(self, take: Callable[..., None], most: int = 2) -> None:
        """Call ``take`` with what is handed on, which must not be changed any more; ``most`` may wait for it."""
        self._take = take
        self._most = most
        self._under_way: deque[Future[None]] = deque()
        self._has_failed = False
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="behind")

    def __enter__(self) -> Behind:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            while self._under_way and error is None:
                self._under_way.popleft().result()
        finally:
            self._pool.shutdown(wait=True, cancel_futures=True)

    def __call__(self, *things: Any) -> None:
        """Hand something on."""
        while len(self._under_way) >= self._most:
            self._under_way.popleft().result()
        self._under_way.append(self._pool.submit(self._take_next, *things))

    def _take_next(self, *things: Any) -> None:
        if self._has_failed:
            # handed on before anybody could know
            return
        try:
            self._take(*things)
        except BaseException:
            self._has_failed = True
            raise
