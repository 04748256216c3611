"""Has many processes work on pieces: those of this machine, or of a cluster that Dask speaks to.

A piece whose process dies is given out again, a few times; what dies with every process is told as failed. Results do
not depend on how many processes there are, since each piece is a recording by itself.
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
_THREADS = ("NUMBA_NUM_THREADS", "OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS", "ARROW_NUM_THREADS")


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


def _alone() -> None:
    """Keep a working process to one processor: there is a process for each other one."""
    for variable in _THREADS:
        os.environ[variable] = "1"


def _here(
    pieces: Sequence[Given], work: Callable[[Given], Any], name: Callable[[Given], str], workers: int,
    is_stopped: Callable[[], bool],
) -> Iterator[Any]:  # fmt: skip
    """Work with processes of this machine.

    Each is a pool of its own: where a process of a larger one dies, nobody can tell which piece it was at.
    """
    waiting = deque((piece, 1) for piece in pieces)
    idle = [_process() for _ in range(min(workers, len(pieces)))]
    busy: dict[Future[Any], tuple[ProcessPoolExecutor, Given, int]] = {}
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
                    process.shutdown(wait=False)
                    idle.append(_process())
                    if tries < _TRIES:
                        waiting.append((piece, tries + 1))
                    else:
                        yield Failed(name(piece), "its process died each time.")
                    continue
                idle.append(process)
                yield found
    finally:
        for process in (*idle, *(one for one, _, _ in busy.values())):
            process.shutdown(wait=True, cancel_futures=True)


def _process() -> ProcessPoolExecutor:
    # a fresh one: what is copied from a process with threads may hold a lock for ever
    return ProcessPoolExecutor(1, multiprocessing.get_context("spawn"), _alone)


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
