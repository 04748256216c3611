"""The foot: where the cursor is, what is at work, and what was last told."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from ..app.jobs import Job
from ..app.session import Session
from ..widgets.parts import button, label, one_shot, plain_tip, say_in
from ..widgets.share_bar import ShareBar
from ..widgets.words import counted, grouped, span_text

_SHOW_AFTER_MS = 250
_TOLD_MS = 12_000
_JUST_NOW_MS = 1_000


class Foot(QWidget):
    """One line at the bottom of the window."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setObjectName("foot")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.cursor_words = label("", "quiet")
        self.live = button("", "Stay with the newest frames (Alt Down)", link=True)
        self.frames = label("", "quiet")
        self.pin = label("", "quiet")
        self.hits = label("", "quiet")
        self.told = label("")
        self.told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.work = label("", "quiet")
        self.bar = ShareBar()
        self.bar.setFixedWidth(110)
        self.stop = button("Cancel", "Stop this work", link=True)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 3, 14, 3)
        row.setSpacing(18)
        self.problems = button("", "Read what is wrong (I)", link=True)
        for words in (self.live, self.cursor_words, self.pin, self.frames, self.hits, self.problems):
            row.addWidget(words)
        row.addStretch(1)
        for part in (self.told, self.work, self.bar, self.stop):
            row.addWidget(part)
        self.setMinimumHeight(26)
        self._job: Job | None = None
        self._later = one_shot(self, _SHOW_AFTER_MS, self._show_job)
        self._forget = one_shot(self, _TOLD_MS, self.told.clear)
        self._connect()
        self._show_job()

    def _connect(self) -> None:
        session = self._session
        session.clock.cursor_changed.connect(self._show_cursor)
        session.clock.pin_changed.connect(self._show_cursor)
        session.in_hand.changed.connect(self._show_cursor)
        session.opened.connect(self._show_cursor)
        self.live.clicked.connect(lambda: session.clock.follow())
        session.live.writing.changed.connect(self._show_live)
        session.clock.following_changed.connect(self._show_live)
        self._show_live()
        session.grown.connect(self._show_cursor)
        session.asking.changed.connect(self._show_hits)
        session.clock.cursor_changed.connect(self._show_hits)
        session.problems.changed.connect(self._show_problems)
        self.problems.clicked.connect(session.problems.list_wanted.emit)
        self._show_problems()
        session.told.connect(self.tell)
        session.jobs.changed.connect(self._on_jobs)
        self.stop.clicked.connect(lambda: self._job.cancel() if self._job is not None else None)

    def tell(self, tone: str, sentence: str) -> None:
        """Show a sentence for a while; errors stay until the next one."""
        say_in(self.told, sentence if len(sentence) < 150 else sentence[:147] + "…", tone or "quiet")
        self.told.setToolTip(plain_tip(sentence))
        if tone == "wrong":
            self._forget.stop()
        else:
            self._forget.start()

    def leave_desk(self) -> None:
        """Let go of what was told on a desk that is left, unless it was told just now or is something wrong."""
        if self._forget.isActive() and self._forget.remainingTime() < _TOLD_MS - _JUST_NOW_MS:
            self._forget.stop()
            self.told.clear()

    def _show_cursor(self) -> None:
        session, clock = self._session, self._session.clock
        if session.capture is None:
            return
        self.cursor_words.setText(f"cursor {clock.words(clock.cursor_ns)} s")
        pinned = clock.pin_ns is not None
        self.pin.setText(f"Δ to pin {span_text(clock.cursor_ns - (clock.pin_ns or 0))}" if pinned else "")
        self.pin.setVisible(pinned)
        lanes = len(session.capture.lanes)
        total = f"{counted(len(session.capture), 'frame')} · {lanes} lane{'s' if lanes != 1 else ''}"
        kind = session.in_hand.kind
        if kind is not None:
            at = session.store.frame_at(kind, None, clock.cursor_ns)
            number = at.number + 1 if at is not None else 0
            total = f"frame {_count(number)} of {_count(session.capture.kinds.count(kind))} of this kind · {total}"
        self.frames.setText(total)

    def _show_live(self) -> None:
        session = self._session
        self.live.setVisible(session.growing.is_on)
        self.live.setText("● recording, followed" if session.clock.is_following else "● recording, follow it")

    def _show_hits(self) -> None:
        """Say at which hit the cursor is; on the desks that have no line to ask in, there is no other word of it."""
        hits = self._session.asking.hits
        self.hits.setVisible(bool(hits))
        if hits:
            self.hits.setText(f"hit {_count(self._session.asking.place())} of {_count(len(hits))}")

    def _show_problems(self) -> None:
        told = self._session.problems.told
        self.problems.setVisible(bool(told))
        if told:
            self.problems.setText("1 problem" if len(told) == 1 else f"{_count(len(told))} problems")

    def _on_jobs(self) -> None:
        """Show a job only if it takes a while, and take it away the moment it ends."""
        if self._job is None and self._session.jobs.running():
            if not self._later.isActive():
                self._later.start()
        elif self._job not in self._session.jobs.running():
            self._later.stop()
            self._show_job()

    def _show_job(self) -> None:
        running = self._session.jobs.running()
        job = running[0] if running else None
        if job is not self._job:
            self._job = job
            if job is not None:
                job.moved.connect(self._on_moved)
        for part in (self.work, self.bar, self.stop):
            part.setVisible(job is not None)
        if job is not None:
            self.work.setText(job.note)
            self.bar.show_share(job.share)

    def _on_moved(self, share: float, note: str) -> None:
        self.work.setText(note)
        self.bar.show_share(share)


def _count(number: int) -> str:
    """Write a count; millions are shortened."""
    return f"{number / 1e6:.1f} M" if number >= 10_000_000 else grouped(number)
