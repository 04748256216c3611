"""Keeps one layout after the other in a library file, and looks at the file in between as anything in it may."""

import contextlib
import sys
from pathlib import Path

from tests.library.test_store import pod
from zesty_abacus.core.files.errors import FileError
from zesty_abacus.core.files.reading import open_file
from zesty_abacus.core.library.store import Library


def main() -> None:
    path, name = Path(sys.argv[1]), sys.argv[2]
    library = Library.open(path)
    for number in range(10_000):
        layout = pod(f"{name} {number}")
        library.layouts.commit(layout, parent=None, author=name)
        print(layout.id, flush=True)
        # whatever looks at the file in a program that has it open
        with contextlib.suppress(FileError):
            open_file(path).close()
