"""The command running beside a test: waited for until it says a word, and ended by a signal."""

from __future__ import annotations

import signal
import tempfile
import threading
import time
from pathlib import Path

from tests.cli.program import COMMAND
from tests.forked import Forked


class Background:
    """A command that goes on; as a context it is ended whatever happens."""

    def __init__(self, *arguments, ready=""):
        self._folder = tempfile.TemporaryDirectory(prefix="command-")
        streams = [Path(self._folder.name) / name for name in ("out", "err")]
        self._process = Forked(COMMAND, [str(argument) for argument in arguments], *streams)
        self.out, self.err = [], []
        self._threads = [
            threading.Thread(target=self._take, args=(path, lines), daemon=True)
            for path, lines in zip(streams, (self.out, self.err), strict=True)
        ]
        for thread in self._threads:
            thread.start()
        if ready:
            try:
                self.wait_for(ready)
            except AssertionError:
                # nobody has it yet who would end it
                self.__exit__()
                raise

    def __enter__(self):
        return self

    def __exit__(self, *_error):
        if self._process.is_running:
            self._process.kill()
        self.finish()
        self._folder.cleanup()

    def _take(self, path, lines):
        """Take lines as they are written, until it has ended and there are no more."""
        while not path.exists():
            time.sleep(0.005)
        begun = ""
        with path.open() as stream:
            while True:
                is_over = not self._process.is_running
                while piece := stream.readline():
                    begun += piece
                    if begun.endswith("\n"):
                        lines.append(begun.rstrip("\n"))
                        begun = ""
                if is_over:
                    return
                time.sleep(0.01)

    def wait_for(self, word, patience_s=120):
        until = time.monotonic() + patience_s
        while time.monotonic() < until:
            if any(word in line for line in (*self.err, *self.out)):
                return
            if not self._process.is_running:
                self.finish()
                break
            time.sleep(0.02)
        if not any(word in line for line in (*self.err, *self.out)):
            raise AssertionError(f"it never said {word!r}: {self.err} {self.out[-3:]}")

    def end(self, number=signal.SIGTERM):
        """End it by a signal and return its exit code."""
        self._process.send_signal(number)
        return self.finish()

    def finish(self, patience_s=120):
        code = self._process.wait(patience_s)
        for thread in self._threads:
            thread.join(5)
        return code
