import pytest

from tests.cli.program import run


@pytest.fixture(scope="session")
def trial(tmp_path_factory):
    folder = tmp_path_factory.mktemp("api") / "yuzu"
    assert run("demo", folder, "--length", "20s")[0] == 0
    return folder
