"""Settings for all tests: property tests without deadlines, folders of the user's own kept out of reach."""

from __future__ import annotations

import gc
import os

import pytest
from hypothesis import HealthCheck, settings

from tests import longest
from tests.cluster import Cluster
from tests.ring import ring_in_memory
from tests.steady import STOOD_STILL_S, StoodStillError, Watched

# the gate runs the same examples each time, everybody else looks for new ones
settings.register_profile(
    "project",
    derandomize=bool(os.environ.get("CI")),
    deadline=None,
    max_examples=60,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
)
settings.load_profile("project")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def pytest_addoption(parser):
    longest.add_options(parser)


def pytest_configure(config):
    longest.put_in(config)


@pytest.hookimpl(wrapper=True)
def pytest_pyfunc_call(pyfuncitem):
    """Run a test; of one about milliseconds that fails, say whether the machine stood still meanwhile."""
    if pyfuncitem.get_closest_marker("keeps_time") is None:
        return (yield)
    with Watched() as watched:
        try:
            return (yield)
        except Exception as error:
            if watched.longest_s < STOOD_STILL_S:
                raise
            raise StoodStillError(f"for {watched.longest_s * 1e3:.0f} ms, and this test failed: {error}") from error


@pytest.fixture(autouse=True)
def collected():
    """Let circles be collected again after a test with a window, which keeps that to its own thread."""
    gc.enable()


@pytest.fixture(autouse=True)
def own_folders(tmp_path_factory, monkeypatch):
    """Keep settings and data of the program in a folder of this test."""
    base = tmp_path_factory.mktemp("home")
    monkeypatch.setenv("XDG_CONFIG_HOME", str(base / "config"))
    monkeypatch.setenv("XDG_DATA_HOME", str(base / "data"))
    monkeypatch.setenv("XDG_STATE_HOME", str(base / "state"))


@pytest.fixture(scope="session")
def cluster():
    """A PostgreSQL server of this run's own."""
    made = Cluster()
    yield made
    made.close()


@pytest.fixture
def ring():
    """A keyring that keeps what it is given as long as the test."""
    with ring_in_memory() as made:
        yield made
