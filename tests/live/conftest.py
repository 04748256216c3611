"""Folders for tests in a kernel of their own."""

import shutil
import tempfile
from pathlib import Path

import pytest


@pytest.fixture
def kernel_folder():
    """A folder that the kernel sees as well: it has a /dev of its own, and the tests' folder may lie under ours."""
    folder = Path(tempfile.mkdtemp(prefix="zesty-can-", dir="/var/tmp"))
    yield folder
    shutil.rmtree(folder, ignore_errors=True)
