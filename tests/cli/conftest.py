"""A simulated trial for tests of commands, made by a command."""

import pytest

from tests.live.conftest import kernel_folder

from .program import run


@pytest.fixture(scope="module")
def trial(tmp_path_factory):
    folder = tmp_path_factory.mktemp("cli") / "yuzu"
    assert run("demo", folder, "--length", "4s")[0] == 0
    return folder


__all__ = ["kernel_folder"]
