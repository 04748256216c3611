"""A folder for what can be made again, gone when nobody holds it any more."""

from __future__ import annotations

import shutil
import tempfile
import weakref
from pathlib import Path


class ScratchFolder:
    """A folder of the system's temporary ones that lives as long as this object, or until the program ends.

    What is mapped from it holds its pages until it is let go, also when the folder is gone. The standard library's own
    such folder warns when nobody closes it; this one is meant to go with its holder.

    Attributes
    ----------
    path
    """

    def __init__(self, prefix: str) -> None:
        self.path = Path(tempfile.mkdtemp(prefix=prefix))
        weakref.finalize(self, shutil.rmtree, self.path, ignore_errors=True)
