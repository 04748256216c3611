"""Opens the library that a command is given, and asks for what is missing."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from ..core.library.address import LibraryAddress, library_address
from ..core.library.errors import PasswordNeededError
from ..core.library.known_servers import KnownServers, StrangeServerError
from ..core.library.passwords import type_password
from ..core.library.store import Library
from ..core.trial.trial import Trial
from ..desk.app.settings import known_servers_path
from .terminal import say


def open_library(where: str | Path) -> Library:
    """Open a library given by its file, by its server's address, or by the folder of a trial.

    A password that nothing else knows is asked for, if there is somebody to ask.
    """
    found = _opened(_address_of(str(where)))
    if note := found.note():
        say(f"zesty-abacus: {note}", err=True)
    return found


def _opened(address: LibraryAddress) -> Library:
    try:
        return Library.open(address)
    except PasswordNeededError:
        if not sys.stdin.isatty():
            raise
        type_password(address, click.prompt(f"Password for {address}", hide_input=True, err=True))
        return Library.open(address)


def _address_of(text: str) -> LibraryAddress:
    """Return an address that may be connected to: one from a trial was written by whoever made the trial."""
    servers = KnownServers(known_servers_path())
    if "://" in text or not Path(text).is_dir():
        address = library_address(text)
        servers.add(address)
        return address
    trial = Trial.open(Path(text))
    try:
        servers.check(trial.library_address, trial.file.library)
    except StrangeServerError as error:
        if not sys.stdin.isatty():
            raise
        click.confirm(f"{error.message} Connect to it?", abort=True, err=True)
        servers.add(trial.library_address)
    return trial.library_address


def release_of_trial(where: str | Path) -> str:
    """Return the release that a trial is decoded with; empty for the newest state, and for what is no trial."""
    text = str(where)
    if "://" in text or not Path(text).is_dir():
        return ""
    return Trial.open(Path(text)).file.release
