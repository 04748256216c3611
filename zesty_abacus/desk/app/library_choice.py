"""Which library a trial uses, and in which state: the newest, or a release that never changes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from ..widgets.words import counted
from .doors import engine
from .session import Session

AskAlong = Callable[[str, str, int, Callable[[bool | None], None]], None]
"""Asks whether so many layouts go along from the second library into the first, which is empty; the answer is given to
the function: yes, no, or None where another library is not wanted after all."""


def use_library(
    session: Session, where: str, *, create: bool = False, password: str = "", keep: bool = False,
    make: bool = False, tell: Callable[[str, str], None], ask_along: AskAlong | None = None,
) -> None:  # fmt: skip
    """Use another library for the open trial; ``tell`` hears (tone, sentence) of how it went.

    Nothing changes unless the library can be used. A password that is given may be kept in the keyring; a library
    is made in a database that has none if ``make`` says so. One that holds nothing would leave every message unnamed:
    ``ask_along`` is asked whether the layouts of the library in use go along; without it they do not.
    """
    trial = session.trial

    def take(answer: tuple[engine.Library, list[engine.LayoutHead]]) -> None:
        library, heads = answer
        count = len(session.edits.layouts())
        if ask_along is None or heads or not count or session.library is None:
            use(answer)
            return
        ask_along(library.name, session.library.name, count, lambda choice: go_on(library, choice))

    def go_on(library: engine.Library, choice: bool | None) -> None:
        if choice is None:
            library.close()
        elif choice:
            session.jobs.start(
                "library", "taking the layouts along",
                lambda progress: engine.take_all_along(session.library, library, progress), use,
                lambda sentence: tell("wrong", sentence), in_line=True,
            )  # fmt: skip
        else:
            use((library, []))

    def use(answer: tuple[engine.Library, list[engine.LayoutHead]]) -> None:
        library, heads = answer
        changed = msgspec.structs.replace(trial.file, library=engine.library_named(where, trial.folder), release="")
        try:
            trial.save(changed)
        except engine.AbacusError as error:
            library.close()
            tell("wrong", str(error))
            return
        session.shared.use(library, heads, session.edits.line.author)
        session.match_again()
        tell("good", f"{library.name} is in use, with {counted(len(heads), 'layout')}.")

    session.jobs.start(
        "library", "opening the library",
        lambda _progress: engine.open_library(where, create=create, password=password, keep=keep, make=make), take,
        lambda sentence: tell("wrong", sentence), in_line=True,
    )  # fmt: skip


def use_release(session: Session, name: str) -> None:
    """Decode the open trial with a release, or with the newest state if the name is empty; the trial remembers it."""

    def use(layouts: list[Any] | None) -> None:
        session.edits.pin(name, layouts)
        session.trials.keep(msgspec.structs.replace(session.trial.file, release=name))
        session.match_again()
        session.shared.seen.emit()
        words = f"This trial is decoded with the release {name} now." if name else "This trial follows the library now."
        session.told.emit("good", words)

    if name:
        session.shared.ask(f"reading {name}", lambda library: library.layouts.of_release(name), use)
    else:
        use(None)
