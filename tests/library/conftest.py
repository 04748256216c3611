"""Libraries on both engines: a file, and a database of the tests' own server."""

import pytest

from zesty_abacus.core.library.store import Library


@pytest.fixture(params=["sqlite", "postgresql"])
def address(request, tmp_path):
    """Where an empty library can be made, on each engine in turn."""
    if request.param == "sqlite":
        return str(tmp_path / "library.sqlite")
    server = request.getfixturevalue("cluster")
    return server.address(server.new_database())


@pytest.fixture
def library(address):
    made = Library.create(address, "harbour team")
    yield made
    made.close()
