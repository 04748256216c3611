"""Pieces of work made on several threads, taken in their order with a few of them ahead, or as they are done."""

from __future__ import annotations

import itertools
import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor, as_completed
from typing import Any, Generic, TypeVar

Made = TypeVar("Made")
Next = TypeVar("Next")


class Ahead(Generic[Made]):
    """What becomes of many given things, in their order, each made on a thread of its own while earlier ones are used.

    Not more than one a thread, and one besides, is held at a time, so memory stays what a few of them take.
    """

    def __init__(self, given: Iterable[Any], make: Callable[[Any], Made], *, threads: int | None = None) -> None:
        """Keep what to do.

        Parameters
        ----------
        given
            Taken one by one, on the thread that iterates.
        make
            Called from several threads at once; it gains only as far as it leaves the interpreter's lock alone.
        threads
            How many; None is one a processor. Of work that mostly holds the lock one is quicker than two, which wait
            for each other each time one of them has let go of it.
        """
        self._given = given
        self._make = make
        self._threads = threads or len(os.sched_getaffinity(0))

    @classmethod
    def of(cls, given: Iterable[Made]) -> Ahead[Made]:
        """Return things that are there, or are made by whoever yields them."""
        return given if isinstance(given, Ahead) else cls(given, lambda one: one)

    def then(self, further: Callable[[Made], Next]) -> Ahead[Next]:
        """Return what becomes of these by another step, made on the same threads."""
        make = self._make
        return Ahead(self._given, lambda one: further(make(one)), threads=self._threads)

    def __iter__(self) -> Iterator[Made]:
        given = iter(self._given)
        begin = list(itertools.islice(given, 2))
        if len(begin) < 2:
            # threads cost more than one piece of a live source takes, and those come twenty times a second
            yield from map(self._make, begin)
            return
        yield from self._on_threads(itertools.chain(begin, given))

    def _on_threads(self, given: Iterable[Any]) -> Iterator[Made]:
        under_way: deque[Future[Made]] = deque()
        # a pool of its own: in one that is shared, pieces that wait for threads of that pool could wait for ever
        pool = ThreadPoolExecutor(self._threads, thread_name_prefix="ahead")
        try:
            for one in given:
                under_way.append(pool.submit(self._make, one))
                if len(under_way) > self._threads:
                    yield under_way.popleft().result()
            while under_way:
                yield under_way.popleft().result()
        finally:
            # also when who takes them stops early, or one of them failed
            pool.shutdown(wait=True, cancel_futures=True)


def as_done(given: Iterable[Any], make: Callable[[Any], Made]) -> Iterator[Made]:
    """Yield what becomes of given things as each is done, in whatever order.

    For pieces of very unlike size whose results are small: one that takes long keeps no other from being begun.
    """
    pool = ThreadPoolExecutor(len(os.sched_getaffinity(0)), thread_name_prefix="as-done")
    try:
        for one in as_completed([pool.submit(make, one) for one in given]):
            yield one.result()
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
