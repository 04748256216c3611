"""Who shares a library and from where: working copies, roles, a server of one's own."""

from __future__ import annotations

import sys
import threading
from collections.abc import Sequence
from pathlib import Path

import click

from ...core.library.local_server import LocalServer
from ...core.library.rights import PREFIX
from ...core.library.roles import make_roles, role_statements
from ...core.library.store import Library
from ...core.library.sync import sync as bring_together
from ..stopping import stopped_by_signals
from ..terminal import say
from .options import AS_JSON, AUTHOR, LIBRARY, opened, say_json

_DATABASE = "library"


@click.command()
@click.argument("copy", type=click.Path(path_type=Path))
@click.argument("home", metavar="LIBRARY")
@AUTHOR
@AS_JSON
def sync(copy: Path, home: str, author: str, as_json: bool) -> None:
    """Bring the working copy COPY and LIBRARY together; COPY is made if it is not there.

    Exit code 1 if anything clashes. What both changed is merged; a clash is left as it is on both sides and told.
    Where changes are agreed first, what the copy brings is proposed.
    """
    with opened(home) as there:
        here = Library.open(copy) if copy.exists() else Library.create(copy, f"{there.name}, working copy")
        try:
            report = bring_together(here, there, author=author)
        finally:
            here.close()
    if as_json:
        say_json(report)
    else:
        for words, names in (("taken", report.taken), ("given", report.given), ("merged", report.merged),
                             ("proposed", report.proposed)):  # fmt: skip
            say(f"{words}: {', '.join(names) or 'nothing'}")
    for sentence in report.clashed:
        say(f"clash: {sentence}", err=True)
    sys.exit(1 if report.clashed else 0)


@click.command()
@LIBRARY
@click.option("--show", is_flag=True, help="Only show the statements.")
def roles(where: str, show: bool) -> None:
    """Make the roles reader, writer and keeper with their rights in the database of a library."""
    if show:
        for statement in role_statements():
            say(f"{statement};")
        return
    with opened(where) as target:
        make_roles(target)


@click.command("serve-local")
@click.argument("folder", type=click.Path(path_type=Path))
@click.option("--name", default="shared", show_default=True, help="Name of a library that is made.")
@click.option("--port", default=0, help="Of this host; a free one if left out.")
@click.option(
    "--person", "people", multiple=True, metavar="NAME", help="Make a login for somebody who writes; repeatable."
)
def serve_local(folder: Path, name: str, port: int, people: tuple[str, ...]) -> None:
    """Run a server with a library of its own in FOLDER, on this machine, until it is interrupted.

    Everything is made the first time. It prints the library's address; who may enter FOLDER may use it without a
    password, other logins of this machine come by the port with one. Each --person gets a login of their own, whose
    address and password are printed when it is made: who agrees to changes is told apart by logins.
    """
    server = LocalServer(folder, port)
    # before anything is said: whoever reads it may end this at once, and the server with it
    with stopped_by_signals() as stopped:
        server.make()
        server.start()
        try:
            _serve(server, name, people, stopped)
        finally:
            server.stop()


def _serve(server: LocalServer, name: str, people: Sequence[str], stopped: threading.Event) -> None:
    if not server.has_database(_DATABASE):
        server.execute("postgres", f"CREATE DATABASE {_DATABASE}")
    address = server.address(_DATABASE)
    target = Library.open(address) if _is_made(server) else Library.create(address, name)
    make_roles(target)
    target.close()
    say(address)
    for person in people:
        say(_login_of(server, person))
    while not stopped.wait(0.5):
        if not server.is_running:
            raise click.ClickException("the server has ended.")


def _login_of(server: LocalServer, person: str) -> str:
    """Make somebody's login unless there is one; return in words how they come in."""
    password = server.make_login(person, f"{PREFIX}writer")
    known = f"password {password}" if password else "with the password that it was made with"
    return f"{person}: {server.by_port(_DATABASE, person)} {known}"


def _is_made(server: LocalServer) -> bool:
    return bool(server.execute(_DATABASE, "SELECT 1 FROM pg_tables WHERE tablename = 'library_info'"))
