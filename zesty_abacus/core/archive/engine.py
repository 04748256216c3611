"""Has many processes work on pieces: those of this machine, or of a cluster that Dask speaks to.

A piece whose process dies is given out again, a few times; what dies with every process is told as failed. Results do
not depend on how many processes there are, since each piece is a recording by itself, or a part of one that stands for
itself.
"""

from __future__ import annotations

import multiprocessing
import os
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from typing import Any, TypeVar

from .errors import ClusterError
from .task import Failed

Given = TypeVar("Given")
_TRIES = 3
_LOOK_S = 0.2
_forking = multiprocessing.get_context("forkserver")


def work_on(
    pieces: Sequence[Given], work: Callable[[Given], Any], name: Callable[[Given], str], *,
    workers: int = 0, scheduler: str = "", is_stopped: Callable[[], bool] = lambda: False,
) -> Iterator[Any]:  # fmt: skip
    """Yield what comes of each piece, in the order in which they are ready.

    Parameters
    ----------
    work
        A function of a module, called in other processes.
    name
        What a piece is called where it failed.
    workers
        Processes of this machine; 0 is one a processor.
    scheduler
        Address of a cluster, instead.

    Raises
    ------
    ClusterError
        If the cluster cannot be reached.
    """
    if scheduler:
        yield from _on_cluster(pieces, work, name, scheduler, is_stopped)
    else:
        yield from _here(pieces, work, name, workers or len(os.sched_getaffinity(0)), is_stopped)


class _Process:
    """A working process that keeps to one processor: there is another process for each other one.

    What it is forked from has loaded the program and does nothing else: what is copied from a process with threads may
    hold a lock for ever. It is loaded on one processor, so that whatever it loads makes no more threads than that.
    """

    def __init__(self, processor: int) -> None:
        self.processor = processor
        self._pool = ProcessPoolExecutor(1, _forking, _keep_to, (processor,))

    def submit(self, work: Callable[[Any], Any], piece: Any) -> Future[Any]:
        """Give it a piece; it starts with the first one, on the thread that gives."""
        before = os.sched_getaffinity(0)
        os.sched_setaffinity(0, {self.processor})
        try:
            return self._pool.submit(work, piece)
        finally:
            os.sched_setaffinity(0, before)

    def again(self) -> _Process:
        """Return another one in the place of this one, which died."""
        self._pool.shutdown(wait=False)
        return _Process(self.processor)

    def end(self) -> None:
        """Let it finish what it is at."""
        self._pool.shutdown(wait=True, cancel_futures=True)


def _keep_to(processor: int) -> None:
    os.sched_setaffinity(0, {processor})


def _here(
    pieces: Sequence[Given], work: Callable[[Given], Any], name: Callable[[Given], str], workers: int,
    is_stopped: Callable[[], bool],
) -> Iterator[Any]:  # fmt: skip
    """Work with processes of this machine.

    Each is a pool of its own: where a process of a larger one dies, nobody can tell which piece it was at.
    """
    # loading takes longer than many a recording does, and what is loaded before they are forked lies in memory once
    _forking.set_forkserver_preload([work.__module__])
    waiting = deque((piece, 1) for piece in pieces)
    processors = sorted(os.sched_getaffinity(0))
    idle = [_Process(processors[number % len(processors)]) for number in range(min(workers, len(pieces)))]
    busy: dict[Future[Any], tuple[_Process, Given, int]] = {}
    try:
        while (waiting or busy) and not is_stopped():
            while waiting and idle:
                process, (piece, tries) = idle.pop(), waiting.popleft()
                busy[process.submit(work, piece)] = process, piece, tries
            for future in wait(busy, _LOOK_S, FIRST_COMPLETED).done:
                process, piece, tries = busy.pop(future)
                try:
                    found = future.result()
                except BrokenProcessPool:
                    idle.append(process.again())
                    if tries < _TRIES:
                        waiting.append((piece, tries + 1))
                    else:
                        yield Failed(name(piece), "its process died each time.")
                    continue
                idle.append(process)
                yield found
    finally:
        for process in (*idle, *(one for one, _, _ in busy.values())):
            process.end()


def _on_cluster(
    pieces: Sequence[Given], work: Callable[[Given], Any], name: Callable[[Given], str], scheduler: str,
    is_stopped: Callable[[], bool],
) -> Iterator[Any]:  # fmt: skip
    try:
        from distributed import Client, as_completed
        from distributed.scheduler import KilledWorker
    except ImportError as error:
        raise ClusterError("Dask is not installed.", hint="pip install 'zesty-abacus[cluster]'") from error
    try:
        client = Client(scheduler, timeout="10s", set_as_default=False)
    except (OSError, ValueError, TimeoutError) as error:
        raise ClusterError(f"the scheduler does not answer ({error}).", where=scheduler) from error
    with client:
        futures = {client.submit(work, piece, pure=False, retries=_TRIES): piece for piece in pieces}
        for future in as_completed(list(futures), loop=client.loop):
            if is_stopped():
                client.cancel(list(futures), force=True)
                return
            try:
                yield future.result()
            except KilledWorker:
                yield Failed(name(futures[future]), "its process died each time.")
            except Exception as error:
                yield Failed(name(futures[future]), str(error) or type(error).__name__)
