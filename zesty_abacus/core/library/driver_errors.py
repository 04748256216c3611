"""Turns what the database drivers raise into errors of the library, each with its sentence.

Apart from the errors themselves, since the drivers take time to load and whoever names an error needs none.
"""

from __future__ import annotations

import errno
import os
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager

import sqlalchemy.exc

from .errors import (
    AgreementNeededError,
    LibraryError,
    LockedError,
    OwnChangeError,
    PasswordNeededError,
    RefusedError,
    StaleParentError,
    UnreachableError,
)


@contextmanager
def mapped_errors(where: str) -> Iterator[None]:
    """Turn errors of the database driver into a :class:`LibraryError` that keeps the cause."""
    try:
        yield
    except sqlalchemy.exc.SQLAlchemyError as error:
        raise _mapped(error, where) from error
    except (UnicodeDecodeError, sqlite3.Error) as error:
        # of a damaged page the driver may hand out what is no text, before anybody else looks at it
        raise LibraryError(
            "a page of the library's file is damaged.", where=where,
            hint="Take a copy of the file; zesty-abacus library check tells what is left.",
        ) from error  # fmt: skip


def _mapped(error: sqlalchemy.exc.SQLAlchemyError, where: str) -> LibraryError:
    cause = getattr(error, "orig", None) or error
    text = str(cause).strip().split("\n")[0]
    state = str(getattr(cause, "sqlstate", None) or "")
    if "history is never rewritten" in text:
        return RefusedError("history is never rewritten.", where=where, hint="Commit an earlier state as a new one.")
    if "another change was agreed" in text:
        return AgreementNeededError("others changed this since, so what was agreed is not what would be kept.",
                                    where=where, hint="Its author proposes it anew on the newest state.")  # fmt: skip
    if "another state was proposed since" in text:
        return LibraryError("another state was proposed since you looked.", where=where,
                            hint="Look at the newest state and agree to that.")  # fmt: skip
    if any(sign in text for sign in _SAID_BY_US):
        return RefusedError(f"{text}.", where=where)
    if state == "55P03" or (not state and "database is locked" in text):
        return LockedError("somebody else holds what is to be changed.", where=where, hint="Try again.")
    if state == "57014":
        return LibraryError("the server took too long for this and has given up.", where=where, hint="Try again.")
    if "changes are agreed first" in text:
        return AgreementNeededError("this library keeps only changes that others agreed to.", where=where,
                                    hint="Propose the change.")  # fmt: skip
    if "agrees to a change of their own" in text:
        return OwnChangeError("nobody agrees to a change of their own.", where=where,
                              hint="Ask somebody else to look at it.")  # fmt: skip
    if "may not agree" in text:
        return RefusedError("the rules of this library let others agree to changes.", where=where,
                            hint="Reply to the proposal, or ask its keeper.")  # fmt: skip
    if state == "42501" or "readonly database" in text:
        return RefusedError("you may look at this library and not change it.", where=where,
                            hint="Ask its keeper for the right to write.")  # fmt: skip
    if "no password supplied" in text:
        return PasswordNeededError("the server asks for a password.", where=where,
                                   hint="Put it into the pass file (~/.pgpass), or type it when asked.")  # fmt: skip
    if state in ("28P01", "28000") or "password" in text or "authentication" in text:
        return RefusedError("the server does not let you in.", where=where,
                            hint="Look at your user name and at the pass file (~/.pgpass).")  # fmt: skip
    if "one_child_a" in text or (state == "23505" and "number" in text):
        return StaleParentError("somebody else kept a change at the same moment.", where=where,
                                hint="Look at the newest state and make the change again.")  # fmt: skip
    if isinstance(error, sqlalchemy.exc.OperationalError) and _is_network(state, text):
        return UnreachableError("the server of the library does not answer.", where=where,
                                hint="Look at the network; what was kept is safe.")  # fmt: skip
    return LibraryError(f"the library cannot be used ({text}).", where=where)


_SAID_BY_US = (
    "this is a proposal of", "this proposal is", "this proposal was sent back", "this proposal has ended",
    "there is no such proposal", "a proposal is kept with its change", "this does not begin from", "nothing is called",
    "this does not follow", "these are no rules", "a release needs a name", "so many windows", "there is nothing to",
    "this is no time", "this is no document", "and stays one",
)  # fmt: skip
"""What our own triggers and functions say, in words that need no others."""


_CUT = tuple(
    os.strerror(number).lower()
    for number in (
        errno.ENETUNREACH, errno.EHOSTUNREACH, errno.ENETDOWN, errno.EHOSTDOWN, errno.ENETRESET, errno.ECONNRESET,
        errno.ECONNABORTED, errno.ECONNREFUSED, errno.ENOTCONN, errno.ETIMEDOUT, errno.EPIPE,
    )
)  # fmt: skip
"""What the system says of a cable: a route that has just gone answers at once, one that is silent only in time."""
_LOST = (
    "connection", "server closed", "timeout", "could not translate", "resolve", "terminating",
    "data from server", "data to server", "ssl syscall", *_CUT,
)  # fmt: skip


def _is_network(state: str, text: str) -> bool:
    return state.startswith(("08", "57P")) or (not state and any(sign in text.lower() for sign in _LOST))
