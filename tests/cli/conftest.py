"""A simulated trial for tests of commands, made by a command."""

import pytest

from .program import run


@pytest.fixture(scope="module")
def trial(tmp_path_factory):
    folder = tmp_path_factory.mktemp("cli") / "yuzu"
    assert run("demo", folder, "--length", "4s")[0] == 0
    return folder
