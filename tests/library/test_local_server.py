"""A server of one's own that takes long to begin, because it mends what a crash left."""

import shutil
import stat
import sys
import tempfile
import time
from pathlib import Path

import pytest

from zesty_abacus.core.library import local_server
from zesty_abacus.core.library.errors import LibraryError
from zesty_abacus.core.library.local_server import LocalServer

_STARTING = """#!{python}
# answers as PostgreSQL does (frontend/backend protocol 3.0): for a while that it is starting up, then as one that is up
import socket, struct, sys, time

settings = dict(word.split("=", 1) for word in sys.argv if "=" in word)
def message(kind, body):
    return kind + struct.pack("!i", len(body) + 4) + body
starting = message(b"E", b"SFATAL\\0VFATAL\\0C57P03\\0Mthe database system is starting up\\0\\0")
status = b"".join(message(b"S", name + b"\\0" + value + b"\\0") for name, value in
                  [(b"client_encoding", b"UTF8"), (b"server_version", b"15.0")])
up = message(b"R", struct.pack("!i", 0)) + status + message(b"Z", b"I")
listening = socket.socket(socket.AF_UNIX)
listening.bind(settings["unix_socket_directories"] + "/.s.PGSQL." + settings["port"])
listening.listen()
until = time.monotonic() + {seconds}
while True:
    caller, _ = listening.accept()
    size, = struct.unpack("!i", caller.recv(4, socket.MSG_WAITALL))
    caller.recv(size - 4, socket.MSG_WAITALL)
    caller.sendall(starting if time.monotonic() < until else up)
    if time.monotonic() >= until:
        caller.recv(100)
    caller.close()
"""


@pytest.fixture
def made(monkeypatch):
    """Return what makes a server that starts up for so many seconds, while half a second is waited for an answer."""
    folder = Path(tempfile.mkdtemp(prefix="zesty-starting-"))
    servers = []

    def make(seconds):
        program = folder / "postgres"
        program.write_text(_STARTING.format(python=sys.executable, seconds=seconds))
        program.chmod(program.stat().st_mode | stat.S_IXUSR)
        monkeypatch.setattr(local_server, "server_program", lambda _name: str(program))
        monkeypatch.setattr(local_server, "_PATIENCE_S", 0.5)
        server = LocalServer(folder / "served")
        server.folder.mkdir()
        monkeypatch.setattr(server, "_identity", dict)
        servers.append(server)
        return server

    yield make
    for server in servers:
        server.process.kill()
        server.process.wait()
    shutil.rmtree(folder)


def test_a_server_that_says_it_is_starting_is_waited_for(made):
    server = made(seconds=2.0)
    began = time.monotonic()
    server.start()
    assert time.monotonic() - began > 1.9 and server.is_running


def test_it_is_not_waited_for_for_ever(made, monkeypatch):
    monkeypatch.setattr(local_server, "_RECOVERY_S", 1.0)
    server = made(seconds=600.0)
    began = time.monotonic()
    with pytest.raises(LibraryError, match="the server does not start"):
        server.start()
    assert 1.0 <= time.monotonic() - began < 60
