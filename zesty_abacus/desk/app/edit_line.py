"""The line of edits to the library: sent in the order they were made, tried again while it does not answer."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from ..widgets.parts import one_shot
from .doors import laid
from .jobs import Jobs

_RETRY_MS = 2000


class EditLine(QObject):
    """Sends the edits of a ledger, and hands back what became of each.

    Attributes
    ----------
    author
        Under whose name edits are kept.
    writer
        Writes on the library's thread; None until a library is open.

    Events
    ------
    changed
        (ids) these layouts are shown otherwise, by answers.
    answered
        (step, answer) what became of an edit, unless it waits.
    waiting
        (number) so many edits wait for a library that does not answer; 0 when all have been kept.
    failed
        (sentence) something besides the edits themselves cannot be kept.
    """

    changed = pyqtSignal(object)
    answered = pyqtSignal(object, object)
    waiting = pyqtSignal(int)
    failed = pyqtSignal(str)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._ledger: laid.Ledger | None = None
        self._file: laid.WaitingEdits | None = None
        self._requests: list[laid.Request] = []
        self.retry = one_shot(self, _RETRY_MS, self._send_again)
        self.writer: laid.EditWriter | None = None
        self.author = ""

    def start(self, library: Any, ledger: laid.Ledger) -> None:
        """Begin with another library, and go on with edits that a window which is gone left waiting."""
        self._ledger, self._requests = ledger, []
        if self._file is not None:
            self._file.close()
        self._file = laid.waiting_edits(library)
        self.writer = laid.EditWriter(library, self._file)
        try:
            found = self._file.take_over()
        except AbacusError as error:
            self.failed.emit(f"Edits of earlier wait on this machine and cannot be taken over: {error}")
            return
        for edit in found:
            ledger.put(laid.EditStep(*edit, state=laid.StepState.WAITING))
        if found:
            self.retry.start()

    def send(self, step: laid.EditStep) -> None:
        """Have the library keep a step, behind those that wait."""
        if self._waiting_steps(besides=step):
            step.state = laid.StepState.WAITING
            self._write_down()
        else:
            self._start("keeping the edit", [self._request(step)], again=False)

    def _waiting_steps(self, besides: laid.EditStep | None = None) -> list[laid.EditStep]:
        assert self._ledger is not None
        found = self._ledger.open_steps(None, laid.StepState.WAITING)
        return [step for step in found if step is not besides]

    def _request(self, step: laid.EditStep) -> laid.Request:
        ledger = self._ledger
        assert ledger is not None
        behind = [one.as_waiting() for one in self._waiting_steps(besides=step)]
        made: laid.Request = laid.Request(step, ledger.kept(step.layout_id), ledger.drafts.get(step.layout_id), behind)
        return made

    def _start(self, title: str, requests: list[laid.Request], *, again: bool) -> None:
        writer, author, ledger, unreachable = self.writer, self.author, self._ledger, laid.UnreachableError
        assert writer is not None
        self._requests += requests

        def work(_progress: Any) -> None:
            for request in requests:
                if isinstance(writer.write(request, author, again=again), unreachable):
                    break

        def answered(_nothing: Any) -> None:
            if ledger is self._ledger:
                self._take_answers(requests)

        def failed(sentence: str) -> None:
            # a fault of the program: the first that has no answer is the one it happened with
            broken = next(request for request in requests if request.answer is None)
            broken.answer = laid.Refused(sentence)
            answered(None)

        self._jobs.start("keep", title, work, answered, failed, in_line=True)

    def _send_again(self) -> None:
        waits = self._waiting_steps()
        if waits:
            self._start("keeping what waited", [self._request(step) for step in waits], again=True)

    def _take_answers(self, requests: list[laid.Request]) -> None:
        ledger = self._ledger
        assert ledger is not None
        waited = bool(self._waiting_steps())
        changed: set[UUID] = set()
        answered = [request for request in requests if request.answer is not None]
        self._requests = [one for one in self._requests if one not in requests]
        for request in answered:
            assert request.answer is not None
            changed |= ledger.take(request.step, request.answer)
        if changed:
            self.changed.emit(changed)
        waits = self._waiting_steps()
        if waits or waited:
            self._write_down()
        if waits:
            self.retry.start()
        for request in answered:
            if not isinstance(request.answer, laid.UnreachableError):
                self.answered.emit(request.step, request.answer)

    def _write_down(self) -> None:
        """Keep what waits on this machine until the library answers again; on the library's thread, for disks wait."""
        file, edits = self._file, [step.as_waiting() for step in self._waiting_steps()]
        assert file is not None

        def told(sentence: str) -> None:
            self.failed.emit(f"The library does not answer, and this machine cannot keep what waits for it: {sentence} "
                             "Make room before you close the window.")  # fmt: skip

        self._jobs.start("keep", "writing down what waits", lambda _progress: file.keep(edits),
                         lambda _nothing: self.waiting.emit(len(edits)), told, in_line=True)  # fmt: skip

    def close(self) -> None:
        """Try no more; what waits is written down and tried again when the library is opened the next time."""
        self.retry.stop()

    def keep_unheard(self) -> None:
        """Write down every edit that nobody will hear of any more; all jobs have ended. It comes up the next time.

        That is what was refused while the window closed, clashes nobody chose in, and what could not be written.

        Raises
        ------
        FileError
            If the disk does not take it.
        """
        if self._ledger is None or self._file is None:
            return
        refused = []
        for request in self._requests:
            if request.answer is not None:
                self._ledger.take(request.step, request.answer)
                refused += [request.step] if isinstance(request.answer, laid.Refused) else []
        left = [*refused, *self._ledger.open_steps()]
        self._file.keep([step.as_waiting() for step in left])
        self._file.close()
