"""Work off the interface thread: states, progress, cancel, and one job a group.

A job is a pure call on captured inputs; its answer comes back to the interface thread. A new job of a
group cancels the one before it, whose answer is dropped.
"""

from __future__ import annotations

import enum
import itertools
import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from typing import Any

from PyQt6.QtCore import QObject, Qt, pyqtSignal

from ...core.errors import AbacusError
from ...core.progress import Cancelled, Progress
from .faults import told_fault

_STUCK_AFTER_S = 5.0


class JobState(enum.Enum):
    """What has become of a job."""

    WAITING = "waiting"
    RUNNING = "running"
    DONE = "done"
    CANCELLED = "cancelled"
    FAILED = "failed"


class Job(QObject):
    """One piece of work.

    Events
    ------
    moved
        Progress: share in 0..1 and note; delivered on the interface thread.
    finished
        After done, cancelled or failed.
    """

    moved = pyqtSignal(float, str)
    finished = pyqtSignal()

    def __init__(self, number: int, group: str, title: str) -> None:
        super().__init__()
        self.number = number
        self.group = group
        self.title = title
        self.state = JobState.WAITING
        self.share = 0.0
        self.note = title
        self.progress = Progress(self._on_step)
        self._last_told = -1.0

    def cancel(self) -> None:
        """Ask the work to stop; its answer will be dropped."""
        self.progress.cancel()

    def _on_step(self, share: float, note: str) -> None:
        # runs on the working thread; a signal a percent is enough for any bar
        if abs(share - self._last_told) >= 0.01:
            self._last_told = share
            self.moved.emit(share, note)


_Answers = tuple[Callable[[Any], None], Callable[[str], None] | None, Callable[[], object] | None]


class Jobs(QObject):
    """Runs jobs on a few threads.

    Attributes
    ----------
    is_stuck
        Whether a thread was left behind when everything was closed; it would keep the process from ending.

    Events
    ------
    changed
        A job began or ended; never told before whoever starts a job is done, since pictures ask for work while they
        are painted.
    failed
        (title, sentence) of a job that failed and had nobody to tell it to.
    """

    changed = pyqtSignal()
    failed = pyqtSignal(str, str)
    _began = pyqtSignal()
    _answered = pyqtSignal(object, object, object)

    def __init__(self) -> None:
        super().__init__()
        self._numbers = itertools.count()
        self._pool = ThreadPoolExecutor(3, thread_name_prefix="job")
        self._line = ThreadPoolExecutor(1, thread_name_prefix="job-in-line")
        self._futures: set[Future[None]] = set()
        self._current: dict[str, Job] = {}
        self.is_stuck = False
        self._answers: dict[int, _Answers] = {}
        self._closing = threading.Event()
        self._answered.connect(self._on_answer)
        self._began.connect(self.changed.emit, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]

    def start(
        self,
        group: str,
        title: str,
        work: Callable[[Progress], Any],
        done: Callable[[Any], None],
        failed: Callable[[str], None] | None = None,
        *,
        in_line: bool = False,
        cancelled: Callable[[], object] | None = None,
    ) -> Job:
        """Run ``work`` on a thread and hand its result to ``done`` on the interface thread.

        Parameters
        ----------
        in_line
            One after another in the order of starting, and never cancelled by a later job.
        cancelled
            Is called if a person cancels the job; not if a newer one of its group takes its place.
        """
        number = next(self._numbers)
        group = f"{group} {number}" if in_line else group
        before = self._current.get(group)
        if before is not None:
            before.cancel()
        job = Job(number, group, title)
        job.moved.connect(lambda share, note: self._on_moved(job, share, note))
        self._current[group] = job
        self._answers[job.number] = (done, failed, cancelled)
        future = (self._line if in_line else self._pool).submit(self._run, job, work)
        self._futures.add(future)
        future.add_done_callback(self._futures.discard)
        self._began.emit()
        return job

    def running(self) -> list[Job]:
        """Return the jobs at work, oldest first."""
        return sorted(self._current.values(), key=lambda job: job.number)

    def is_idle(self) -> bool:
        """Return whether nothing is at work."""
        return not self._current

    def close(self) -> None:
        """Cancel everything that may be cancelled, finish what is kept in line, and wait for the threads.

        A thread that the system does not let go, as in a read from a disk that is away, is waited for a moment only.
        """
        self._closing.set()
        self._line.shutdown(wait=True)
        for job in self._current.values():
            job.cancel()
        _, stuck = wait(self._futures, _STUCK_AFTER_S)
        self.is_stuck = any(future.running() for future in stuck)
        self._pool.shutdown(wait=not self.is_stuck, cancel_futures=True)

    def _run(self, job: Job, work: Callable[[Progress], Any]) -> None:
        result: Any = None
        error: BaseException | None = None
        try:
            job.progress.step(0.0, job.title)
            result = work(job.progress)
        except Cancelled as stop:
            error = stop
        except Exception as failure:
            error = failure
        if not self._closing.is_set():
            self._answered.emit(job, result, error)

    def _on_moved(self, job: Job, share: float, note: str) -> None:
        job.share, job.note = share, note
        job.state = JobState.RUNNING

    def _on_answer(self, job: Job, result: Any, error: BaseException | None) -> None:
        if self._closing.is_set():
            return  # whoever asked is gone
        done, failed, cancelled = self._answers.pop(job.number)
        is_current = self._current.get(job.group) is job
        if is_current:
            del self._current[job.group]
        if isinstance(error, Cancelled) or (error is None and not is_current):
            job.state = JobState.CANCELLED
            if is_current and cancelled is not None:
                cancelled()
        elif error is not None:
            job.state = JobState.FAILED
            sentence = _sentence(error, job.title)
            if failed is not None:
                failed(sentence)
            else:
                self.failed.emit(job.title, sentence)
        else:
            job.state = JobState.DONE
            done(result)
        job.finished.emit()
        self.changed.emit()


def _sentence(error: BaseException, title: str) -> str:
    return str(error) if isinstance(error, AbacusError) else told_fault(error, title)
