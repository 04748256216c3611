"""The last resort: a fault of the program's own becomes a sentence, and a file for whoever mends it."""

from __future__ import annotations

import os
import platform
import re
import sys
import time
import traceback
from pathlib import Path

from .files.errors import FileError
from .files.writing import Target

_PASSWORD = re.compile(r"(\w+:/{1,3}[^:\s/@]*:)\S*@|((?:password|passwd|pwd)\s*[=:]\s*)[^\s&'\"]+", re.IGNORECASE)
_MOST = 1 << 20


def without_passwords(text: str) -> str:
    """Return a text in which what stands where a password would stand in an address or a setting is left out."""
    return _PASSWORD.sub(lambda found: f"{found[1]}…@" if found[1] else f"{found[2]}…", text)


def write_report(error: BaseException, folder: Path, version: str, doing: str) -> Path | None:
    """Write down a fault: what was done, where it came from, on what.

    Parameters
    ----------
    folder
        Where reports lie; made if it is not there.
    doing
        What the program was asked to do.

    Returns
    -------
    Path or None
        The file; None if the disk does not take it.
    """
    stamp = time.strftime("%Y-%m-%d-%H%M%S")
    trace = "".join(traceback.format_exception(error))[-_MOST:]
    text = (
        f"Zesty Abacus {version}, Python {platform.python_version()}, {platform.platform()}\n"
        f"{time.strftime('%Y-%m-%d %H:%M:%S %z')}\n{doing}\n\n{trace}"
    )
    target = Target(folder / f"report-{stamp}-{os.getpid()}.txt", replace=True)
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        target.write(without_passwords(text).encode("utf-8", "backslashreplace"))
    except (OSError, FileError):
        return None
    return target.path


def words_of(error: BaseException, report: Path | None) -> str:
    """Return the sentence about a fault."""
    kind = type(error).__name__
    where = f"A report is in {report}." if report is not None else "No report could be written."
    return f"the program met a fault of its own ({kind}: {without_passwords(str(error))[:200]}). {where}"


def command_line() -> str:
    """Return what the program was called with."""
    return " ".join(sys.argv)
