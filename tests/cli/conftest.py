"""A simulated trial for tests of commands, made by a command."""

import pytest

from tests.live.conftest import kernel_folder
from tests.voyages import voyage


@pytest.fixture(scope="module")
def trial(tmp_path_factory):
    return voyage(tmp_path_factory, "4s")


__all__ = ["kernel_folder"]
