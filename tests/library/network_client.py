"""A writer behind a network: keeps changes one after another and prints each that was acknowledged."""

from __future__ import annotations

import sys
import time

import msgspec

from zesty_abacus.core.library.errors import LibraryError, UnreachableError
from zesty_abacus.core.library.follow import Follower
from zesty_abacus.core.library.store import Library


def say(*words: object) -> None:
    print(*words, flush=True)


def main(where: str, seconds: float) -> None:
    try:
        library = Library.open(where)
    except LibraryError as error:
        say("refused", type(error).__name__, error.message)
        return
    head = library.layouts.heads()[0]
    layout, parent = head.state, head.revision.id
    follower = Follower(library, 0)
    number, end = 0, time.monotonic() + seconds
    say("open")
    while time.monotonic() < end:
        try:
            # the note says which change it is, so that one that was kept without an answer is not made twice
            made = library.layouts.commit_merged(
                msgspec.structs.replace(layout, note=str(number + 1)), parent=parent, author="at sea"
            )
            layout, parent, number = made.state, made.revision.id, number + 1
            say("kept", number)
            follower.look()
        except UnreachableError:
            say("no answer", f"{time.monotonic():.1f}")
        time.sleep(0.05)
    say("done", number)


if __name__ == "__main__":
    main(sys.argv[1], float(sys.argv[2]))
