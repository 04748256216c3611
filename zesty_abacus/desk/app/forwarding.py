"""Readings forwarded from the window: what is open, or what comes in live, until they are taken or it is stopped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ...core.errors import AbacusError
from .doors import leaving
from .live import LiveHere
from .settings import spools_folder

_LOOK_MS = 200
_PARTING_S = 1.0
_AT_FIRST = 2_000
_SHOWN = 12


@dataclass(frozen=True, slots=True)
class ForwardAsked:
    """What is forwarded, and where to.

    Attributes
    ----------
    to
        An address, as it is typed.
    fields
        Which fields under which keys; empty for all.
    how
        ``every``, ``at-most``, ``on-change`` or ``mean``.
    period_ns
        Of ``at-most`` and ``mean``.
    """

    to: str
    fields: str
    how: str
    period_ns: int

    def address(self) -> Any:
        """Return the address; raises :class:`MisuseError` if it is none, or no way leads there."""
        made = leaving.ForwardAddress.parse(self.to)
        leaving.check_scheme(made)
        return made

    def thinning(self) -> Any:
        """Return what thins the readings."""
        return leaving.thinning_of(
            at_most_ns=self.period_ns if self.how == "at-most" else 0,
            mean_ns=self.period_ns if self.how == "mean" else 0, on_change=self.how == "on-change",
        )  # fmt: skip


class ForwardHere(QObject):
    """Forwards on a thread of its own.

    Attributes
    ----------
    is_running
    sent, waiting
        Readings that were taken, and that wait on disk.
    share
        How much of what is open was looked at, 0 to 1.
    said
        What there is to say: that the other side is away, or how it ended.

    Events
    ------
    changed
        One of these is another one.
    """

    changed = pyqtSignal()

    def __init__(self, live: LiveHere) -> None:
        super().__init__()
        self._live = live
        self._thread: threading.Thread | None = None
        self._stopped = threading.Event()
        self._sending: Any = None
        self._spool: Any = None
        self.is_running = False
        self.sent, self.waiting, self.share, self.said = 0, 0, 0.0, ""
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self.look)

    def start(self, asked: ForwardAsked, meaning: Any, layouts: list[Any], trial: Any = None) -> None:
        """Begin.

        Parameters
        ----------
        meaning
            Of the capture whose readings go; None for what comes in live.
        trial
            Whose capture it is: forwarded again after it was broken off, it goes on behind what went before.

        Raises
        ------
        MisuseError
            If the address or the fields make no sense.
        """
        if self.is_running:
            return
        address, wanted = asked.address(), leaving.Wanted.parse(asked.fields)
        wanted.check(layouts)
        thinning = asked.thinning()
        self._stopped = threading.Event()
        self._sending = self._spool = None
        self.is_running, self.sent, self.waiting, self.share, self.said = True, 0, 0, 0.0, ""
        work = _over_capture(meaning, wanted, self) if meaning is not None else _over_live(self._live, layouts, wanted)
        # thousands of layouts are told apart by all that they say, which the window does not wait for
        is_trial = meaning is not None and trial is not None
        job = (lambda: _job_of(asked, layouts, trial)) if is_trial else str
        # the other side may be away for hours, so that no thread of the jobs is held by it
        self._thread = threading.Thread(target=self._run, args=(address, thinning, work, job), daemon=True)
        self._thread.start()
        self._timer.start()
        self.changed.emit()

    @property
    def is_stopping(self) -> bool:
        """Whether it is to end, and a reading is on its way still."""
        return self.is_running and self._stopped.is_set()

    def stop(self) -> None:
        """End, with what is on its way; what waits stays on disk, and goes first the next time."""
        self._stopped.set()
        self.look()

    def close(self) -> None:
        """End, and wait a little for it; a server that hangs keeps no window open."""
        self._stopped.set()
        if self._thread is not None:
            # the spool is whole at every moment, so that the thread may be left behind
            self._thread.join(_PARTING_S)
        self._timer.stop()

    def look(self) -> None:
        """Look how far it is."""
        # asked first: what it did until its end is counted then
        is_over = self._thread is not None and not self._thread.is_alive()
        if self._sending is not None:
            self.sent = self._sending.sent
        if self._spool is not None:
            self.waiting = self._spool.count()
        if is_over:
            self._thread = None
            self.is_running = False
            self._timer.stop()
        self.changed.emit()

    def _run(
        self, address: Any, thinning: Any, work: Callable[[Any, threading.Event], object], job: Callable[[], str]
    ) -> None:  # fmt: skip
        try:
            spool = self._spool = leaving.Spool(leaving.spool_path(spools_folder(), address.url))
        except AbacusError as error:
            self.said = str(error)
            return
        try:
            sending = self._sending = leaving.Sending(spool, leaving.way_to(leaving.with_password(address)), self._tell)
            try:
                forwarding = leaving.Forwarding(spool, sending, address, thinning, job())
                if forwarding.went_on:
                    self.said = f"{forwarding.went_on} readings were taken up before; it goes on behind them."
                work(forwarding, self._stopped)
            finally:
                sending.stop()
            self.said = "" if not spool.count() else "Stopped; what waits goes first the next time."
        except AbacusError as error:
            self.said = str(error)
        finally:
            spool.close()

    def _tell(self, sentence: str) -> None:
        self.said = sentence


def _over_capture(meaning: Any, wanted: Any, here: ForwardHere) -> Callable[[Any, threading.Event], object]:
    def step(share: float) -> None:
        here.share = share

    def work(forwarding: Any, stopped: threading.Event) -> None:
        if leaving.forward_capture(forwarding, meaning, wanted, stopped, step):
            forwarding.finish()

    return work


def _job_of(asked: ForwardAsked, layouts: list[Any], trial: Any) -> str:
    """Return a name of exactly this: other recordings, lanes elsewhere, other layouts, fields or places are another."""
    files = [trial.source_path(entry) for entry in trial.file.sources]
    said = (asked, trial.file.lanes, trial.file.ties, sorted((str(one.id), repr(one)) for one in layouts))
    return str(leaving.job_of(files, *said))


def _over_live(live: LiveHere, layouts: list[Any], wanted: Any) -> Callable[[Any, threading.Event], object]:
    def work(forwarding: Any, stopped: threading.Event) -> None:
        readings = leaving.LiveReadings(forwarding, layouts, wanted)
        gate = threading.Lock()

        def take(table: Any, lanes: Any) -> None:
            # frames may be on their way here while this ends, and then there is no spool any more
            with gate:
                if not stopped.is_set():
                    readings.append(table, lanes)

        live.seers.append(take)
        try:
            stopped.wait()
        finally:
            live.seers.remove(take)
            with gate:
                readings.close()

    return work


def first_readings(asked: ForwardAsked, meaning: Any) -> list[tuple[str, str]]:
    """Return where the first readings of a capture go, and what is sent.

    Raises
    ------
    MisuseError
        If the address or the fields make no sense.
    """
    address, wanted, thinning = asked.address(), leaving.Wanted.parse(asked.fields), asked.thinning()
    wanted.check(meaning.layouts.values())
    rows = next(iter(meaning.capture.order.chunks(0, min(_AT_FIRST, len(meaning.capture)), _AT_FIRST)), None)
    found: list[tuple[str, str]] = []
    for reading in leaving.readings_of(meaning, rows, wanted) if rows is not None else ():
        for made in thinning.take(reading):
            found += [(address.place_of(one), one.body().decode()) for one in address.parts_of(made)]
        if len(found) >= _SHOWN:
            break
    return found[:_SHOWN]
