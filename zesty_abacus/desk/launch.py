"""Starts the window: Qt and a first paint at once, the heavy part of the program after it."""

from __future__ import annotations

import os
import signal
import sys
from collections.abc import Callable, Sequence
from functools import cache
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QEvent, QProcess, QTimer
from PyQt6.QtGui import QGuiApplication, QIcon
from PyQt6.QtWidgets import QApplication

from .app.faults import told_fault
from .app.session import Session
from .app.settings import load_settings
from .app.text_size import put_on
from .collecting import Collecting, look_at_all_again
from .widgets.theme import NIGHT, PEEL, look
from .window import Window

_SWITCH_S = 0.001
ICON = Path(__file__).parent / "icons" / "zesty-abacus.svg"


@cache
def make_application() -> QApplication:
    """Return the one application object, kept as long as the process lives."""
    put_on(load_settings().text_percent)
    QApplication.setApplicationName("Zesty Abacus")
    QApplication.setDesktopFileName("zesty-abacus")
    application = QApplication(sys.argv[:1])
    application.setStyle("Fusion")
    application.setWindowIcon(QIcon(str(ICON)))
    Collecting(application)
    # while a bus is live several threads are busy, and whoever waits for the interpreter's lock waits as long as this:
    # painting asks for it hundreds of times
    sys.setswitchinterval(_SWITCH_S)
    return application


def make_window(*, demo: bool = False, paths: Sequence[Path] = (), empty: bool = False) -> Window:
    """Return a window that will open a trial, or recordings, as soon as it has been painted.

    Without any it opens the trial of the last time, unless it is to stay empty.
    """
    session = Session()
    look.put_on(NIGHT if session.settings.theme == NIGHT.name else PEEL)
    window = Window(session)
    window.session.opened.connect(look_at_all_again)

    def begin() -> None:
        if demo:
            session.trials.open_demo()
        elif paths:
            session.trials.open_paths(paths)
        elif not empty and session.settings.recent and Path(session.settings.recent[0]).exists():
            session.trials.open(Path(session.settings.recent[0]))

    QTimer.singleShot(0, begin)
    return window


class WindowHolder:
    """Holds the one window, and puts a fresh one in its place when its trial is closed.

    A fresh window cannot hold anything over from the trial before: nothing in hand, no way back, no library.

    Attributes
    ----------
    window
    start_program
        Starts a program that goes on without this one.
    """

    def __init__(self, window: Window) -> None:
        self.start_program: Callable[[list[str]], object] = lambda words: QProcess.startDetached(words[0], words[1:])
        self._take(window)

    def _take(self, window: Window) -> None:
        self.window = window
        window.header.trial.closed.connect(self._begin_anew)
        window.appearance.size_changed.connect(self._start_again)
        tell_faults(window.session)

    def _start_again(self) -> None:
        """Start the program anew, in another size, with what is open."""
        session = self.window.session
        put_on(session.settings.text_percent)
        trial = [str(session.trial.folder)] if session.trial is not None else []
        self.start_program([sys.executable, "-m", "zesty_abacus", *trial])
        self.window.close()

    def _begin_anew(self) -> None:
        before = self.window
        fresh = make_window(empty=True)
        self._take(fresh)
        fresh.setGeometry(before.geometry())
        # shown before the other is closed: a program without a window would end
        fresh.show()
        before.close()
        before.deleteLater()


def tell_faults(session: Session) -> None:
    """Tell a fault of the program in the foot instead of ending it: work in hand is worth more than a clean exit."""

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        session.told.emit("wrong", told_fault(error, "in the window"))

    sys.excepthook = hook


def launch(paths: Sequence[Path], *, demo: bool = False) -> int:
    """Open the window and run until it is closed; return the exit code."""
    if not _has_screen():
        print("zesty-abacus: there is no screen; set DISPLAY or use the commands in --help.", file=sys.stderr)
        return 1
    application = make_application()
    holder = WindowHolder(make_window(demo=demo, paths=paths))
    holder.window.show()
    # Python handles Ctrl C only between its own instructions; a slow timer gives it some
    signal.signal(signal.SIGINT, lambda *_: holder.window.close())
    ticks = QTimer()
    ticks.start(300)
    ticks.timeout.connect(lambda: None)
    code = application.exec()
    if holder.window.session.jobs.is_stuck:
        # Python would wait for the thread that the system does not let go; everything of ours is closed and kept
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)
    # at exit PyQt deletes what is left in any order, and parts that follow others would be asked by those meanwhile
    holder.window.deleteLater()
    application.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    return code


def _has_screen() -> bool:
    wanted = os.environ.get("QT_QPA_PLATFORM", "")
    if wanted and not wanted.startswith(("xcb", "wayland")):
        return True
    return (
        bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")) or QGuiApplication.instance() is not None
    )
