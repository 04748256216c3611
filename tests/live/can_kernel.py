"""A CAN bus where the machine has none: a kernel that runs as a process, with one virtual CAN interface.

``run_in_kernel(script)`` runs a shell script inside it, with the same files, as root, and returns what it printed.
"""

from __future__ import annotations

import shutil
import subprocess
import textwrap
from pathlib import Path

import pytest

PROGRAM = shutil.which("linux.uml") or shutil.which("linux")
MODULES = Path("/usr/lib/uml/modules")
_NEEDED = ("net/can/can.ko", "net/can/can-raw.ko", "drivers/net/can/dev/can-dev.ko", "drivers/net/can/vcan.ko")
_PATIENCE_S = 400


needs_kernel = pytest.mark.skipif(
    PROGRAM is None or not MODULES.is_dir(), reason="there is no CAN here, and no user-mode kernel that has it"
)

_LOAD = """
import ctypes, os, sys
libc = ctypes.CDLL(None, use_errno=True)
for path in sys.argv[1:]:
    file = os.open(path, os.O_RDONLY)
    if libc.syscall(313, file, b"", 0):
        sys.exit(f"{path}: {os.strerror(ctypes.get_errno())}")
"""


def run_in_kernel(folder: Path, script: str, python: str) -> str:
    """Run a script in a kernel of its own; return its output.

    Parameters
    ----------
    folder
        Where the script and its output lie; the kernel sees the machine's files.
    python
        The interpreter that loads the modules.
    """
    version = next(MODULES.iterdir())
    modules = [str(version / "kernel" / name) for name in _NEEDED]
    (folder / "load.py").write_text(_LOAD)
    out, code = folder / "kernel-out", folder / "kernel-code"
    body = f"""\
        #!/bin/sh
        export PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME={folder} TMPDIR={folder}
        mount -t proc proc /proc
        mount -t sysfs sys /sys
        mount -t devtmpfs dev /dev 2>/dev/null
        mkdir -p /dev/shm /dev/pts 2>/dev/null
        mount -t tmpfs shm /dev/shm 2>/dev/null
        cd {folder}
        (
        set -e
        {python} load.py {" ".join(modules)}
        ip link set lo up
        ip link add dev vcan0 type vcan
        ip link set vcan0 mtu 72
        ip link set vcan0 up
        . ./script.sh
        ) > {out} 2>&1
        echo $? > {code}
        sync
        echo o > /proc/sysrq-trigger
        sleep 5
        """
    start = folder / "start.sh"
    start.write_text(textwrap.dedent(body))
    (folder / "script.sh").write_text(textwrap.dedent(script))
    with (folder / "console").open("wb") as console:
        subprocess.run(
            [PROGRAM, "mem=768M", "rootfstype=hostfs", "rootflags=/", "rw", "init=/bin/sh", "con=null",
             "con0=null,fd:1", "quiet", "--", str(start)],
            stdout=console, stderr=console, stdin=subprocess.DEVNULL, timeout=_PATIENCE_S, check=False,
        )  # fmt: skip
    said = out.read_text() if out.exists() else (folder / "console").read_text(errors="replace")
    assert code.exists() and code.read_text().strip() == "0", said
    return said
