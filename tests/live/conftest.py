"""What tests on lines share: folders for a kernel of their own, and a serial line."""

import os
import pty
import shutil
import tempfile
import threading
import time
import tty
from pathlib import Path

import pytest


@pytest.fixture
def kernel_folder():
    """A folder that the kernel sees as well: it has a /dev of its own, and the tests' folder may lie under ours."""
    folder = Path(tempfile.mkdtemp(prefix="zesty-can-", dir="/var/tmp"))
    yield folder
    shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture
def line():
    """Two pseudo terminals joined by a wire."""
    ends = [pty.openpty() for _ in range(2)]
    for _, slave in ends:
        tty.setraw(slave)
    over = threading.Event()
    damage = []

    def carry(source, target):
        os.set_blocking(source, False)
        while not over.is_set():
            try:
                data = os.read(source, 4096)
            except (BlockingIOError, OSError):
                time.sleep(0.001)
                continue
            if damage:
                data = bytes((data[0] ^ damage.pop(),)) + data[1:]
            # a byte at a time, as a slow line hands them over
            for byte in data:
                os.write(target, bytes((byte,)))

    threads = [
        threading.Thread(target=carry, args=(ends[a][0], ends[b][0])) for a, b in ((0, 1), (1, 0))
    ]  # fmt: skip
    for thread in threads:
        thread.start()
    yield [os.ttyname(slave) for _, slave in ends], damage
    over.set()
    for thread in threads:
        thread.join()
    for pair in ends:
        for file in pair:
            os.close(file)
