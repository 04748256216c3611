"""The command running beside a test: started from nothing, waited for until it says a word, and ended by a signal."""

from __future__ import annotations

import signal
import subprocess
import sys
import threading
import time


class Background:
    """A command that goes on; as a context it is ended whatever happens."""

    def __init__(self, *arguments, ready=""):
        self._process = subprocess.Popen(
            [sys.executable, "-m", "zesty_abacus", *map(str, arguments)],
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, stdin=subprocess.DEVNULL, text=True,
        )  # fmt: skip
        self.out, self.err = [], []
        self._threads = [
            threading.Thread(target=self._take, args=(stream, lines), daemon=True)
            for stream, lines in ((self._process.stdout, self.out), (self._process.stderr, self.err))
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
        if self._process.poll() is None:
            self._process.kill()
        self._process.wait()

    @staticmethod
    def _take(stream, lines):
        for line in stream:
            lines.append(line.rstrip("\n"))
        stream.close()

    def wait_for(self, word, patience_s=120):
        until = time.monotonic() + patience_s
        while time.monotonic() < until:
            if any(word in line for line in (*self.err, *self.out)):
                return
            if self._process.poll() is not None:
                time.sleep(0.1)
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
