import pytest

from tests.voyages import voyage


@pytest.fixture(scope="session")
def trial(tmp_path_factory):
    return voyage(tmp_path_factory, "20s")
