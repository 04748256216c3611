"""Libraries on both engines: a file, and a database of the tests' own server."""

import pytest

from zesty_abacus.core.library.roles import make_roles
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


class Team:
    """One library, opened by people of whom each has a login of their own where there are logins.

    mara and jo write, ada keeps the library.
    """

    def __init__(self, library, cluster=None):
        self.library = library
        self._opened = {}
        self._cluster = cluster
        if cluster is not None:
            make_roles(library)
            for name, role in (("mara", "writer"), ("jo", "writer"), ("ada", "keeper"), ("rick", "reader")):
                made = f"DO $$ BEGIN CREATE ROLE {name} LOGIN; EXCEPTION WHEN duplicate_object THEN NULL; END $$"
                cluster.execute("postgres", made)
                cluster.execute("postgres", f"GRANT zesty_{role} TO {name}")

    def __getattr__(self, name):
        if name not in self._opened:
            address = self.library.address
            if self._cluster is not None:
                address = self._cluster.address(address.url.database, name)
            self._opened[name] = Library.open(address)
        return self._opened[name]

    def close(self):
        for opened in self._opened.values():
            opened.close()


@pytest.fixture
def team(library, request):
    """Some people at one library."""
    on_server = library.address.url is not None
    made = Team(library, request.getfixturevalue("cluster") if on_server else None)
    yield made
    made.close()
