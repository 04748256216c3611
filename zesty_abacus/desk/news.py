"""Looks for what others keep in the library: a light question every second, the answer only when there is news."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

LOOK_MS = 1000


class News(QObject):
    """Asks the library for its newest change, on a thread of its own.

    Events
    ------
    came
        (newest, heads) something was kept that this window has not seen.
    answers
        (yes) whether the library answered the last question.
    """

    came = pyqtSignal(int, object)
    answers = pyqtSignal(bool)
    _looked = pyqtSignal(object, object)

    def __init__(self) -> None:
        super().__init__()
        self._library: Any = None
        self._newest = -1
        self._asking = False
        self._closed = False
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="news")
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.look)
        self._looked.connect(self._on_looked)

    def start(self, library: Any, newest: int) -> None:
        """Begin with another library, of which the window knows all up to a change."""
        self._library, self._newest = library, newest
        self._timer.start()

    def close(self) -> None:
        """Ask no more."""
        self._closed = True
        self._timer.stop()
        # a question to a server that does not answer must not keep the window from closing
        self._thread.shutdown(wait=False, cancel_futures=True)

    def look(self) -> None:
        """Ask once, unless the last question is still open."""
        if self._library is None or self._asking or self._closed:
            return
        self._asking = True
        self._thread.submit(self._ask, self._library, self._newest)

    def _ask(self, library: Any, known: int) -> None:
        answer: Any = None
        try:
            newest = library.newest_revision()
            answer = (newest, library.heads() if newest != known else None)
        except Exception as error:  # whatever it is, the next look will tell
            answer = error
        if not self._closed:
            self._looked.emit(library, answer)

    def _on_looked(self, library: Any, answer: Any) -> None:
        self._asking = False
        if library is not self._library or self._closed:
            return
        if isinstance(answer, Exception):
            self.answers.emit(False)
            return
        self.answers.emit(True)
        self._newest, heads = answer
        if heads is not None:
            self.came.emit(self._newest, heads)
