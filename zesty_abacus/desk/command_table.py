"""What can be done in the window: whatever desk is shown, and what each desk brings."""

from __future__ import annotations

from typing import Any, Protocol

from .app.asking import Asking
from .app.commands import Command
from .app.session import Session
from .desks.desk import Desks
from .desks.handover.commands import handover_commands
from .desks.handover.desk import HandOverDesk
from .desks.intake.commands import intake_commands
from .desks.intake.desk import IntakeDesk
from .desks.layouts.commands import layout_commands
from .desks.layouts.desk import LayoutsDesk
from .desks.read.commands import read_commands
from .desks.read.desk import ReadDesk
from .desks.rehearse.commands import rehearse_commands
from .desks.rehearse.desk import RehearseDesk
from .desks.unravel.commands import unravel_commands
from .desks.unravel.desk import UnravelDesk

DESKS = ("Intake", "Read", "Unravel", "Layouts", "Rehearse", "Hand over")
"""The desks in the order of the work."""
_LIBRARY_PAGES = {"Layouts": "Ctrl+L", "Proposals": "Ctrl+P", "Releases": "", "Recordings": "", "Moments": ""}


class Hands(Protocol):
    """What the commands take hold of: the window, as far as they need it."""

    session: Session
    strip: Any
    roster: Any
    header: Any
    help: Any
    appearance: Any

    @property
    def asking(self) -> Asking: ...

    def close(self) -> bool: ...

    def show_desk(self, name: str) -> None: ...

    def show_library(self, page: str = "Layouts") -> None: ...

    def step_frame(self, by: int) -> None: ...

    def show_wave(self) -> None: ...

    def read_guide(self) -> None: ...

    def say_in_words(self) -> None: ...


def window_commands(window: Hands) -> list[Command]:
    """Return the commands that no desk brings."""
    return [
        *_desk_commands(window),
        *_time_commands(window),
        *_shown_commands(window),
        *_way_back_commands(window),
        *_trial_commands(window),
    ]


def all_desk_commands(session: Session, desks: Desks) -> list[Command]:
    """Return what the desks bring, in the order of the work; to know it none of them has to be made."""
    return [
        *intake_commands(lambda: desks.of(IntakeDesk), lambda: desks.if_made(IntakeDesk), session),
        *read_commands(lambda: desks.of(ReadDesk), session),
        *unravel_commands(lambda: desks.of(UnravelDesk), session),
        *layout_commands(lambda: desks.of(LayoutsDesk), session),
        *rehearse_commands(lambda: desks.of(RehearseDesk), session),
        *handover_commands(lambda: desks.of(HandOverDesk)),
    ]


def _desk_commands(window: Hands) -> list[Command]:
    return [
        Command(f"desk {name}", f"Go to {name}", str(number), lambda name=name: window.show_desk(name))  # type: ignore[misc]
        for number, name in enumerate(DESKS, 1)
    ] + [
        Command(f"library {page}", f"Library: {page.lower()}", key, lambda page=page: window.show_library(page))  # type: ignore[misc]
        for page, key in _LIBRARY_PAGES.items()
    ]


def _is_open(window: Hands) -> bool:
    return window.session.capture is not None


def _time_commands(window: Hands) -> list[Command]:
    session, clock = window.session, window.session.clock

    def opened() -> bool:
        return _is_open(window)

    def asks() -> bool:
        return opened() and bool(window.asking.hits)

    return [
        Command("fold", "Fold the lanes of the strip, or show them", "Shift+L", window.strip.links.turn_fold, opened),
        Command("whole", "Show the whole of it", "X", clock.show_all, opened),
        Command(
            "follow",
            "Stay with the newest frames of what is recorded",
            "Alt+Down",
            clock.follow,
            lambda: session.growing.is_on,
        ),
        Command(
            "stretch on",
            "Go to the recordings of another day",
            "Alt+Right",
            clock.next_stretch,
            lambda: len(clock.stretches) > 1,
        ),
        Command(
            "stretch back",
            "Go to the recordings of the day before",
            "Alt+Left",
            lambda: clock.next_stretch(-1),
            lambda: len(clock.stretches) > 1,
        ),
        Command("closer", "Zoom in at the cursor", "Z", lambda: clock.zoom(0.5, clock.cursor_ns), opened),
        Command("wider", "Zoom out at the cursor", "Shift+Z", lambda: clock.zoom(2.0, clock.cursor_ns), opened),
        Command("frame back", "One frame back", ",", lambda: window.step_frame(-1), opened),
        Command("frame on", "One frame on", ".", lambda: window.step_frame(1), opened),
        Command("wave", "Show the wave of the frame at the cursor", "W", window.show_wave, opened, "Read"),
        Command("next hit", "Next hit of the condition", "Space", lambda: window.asking.step(1), asks),
        Command("hit before", "Hit before", "Shift+Space", lambda: window.asking.step(-1), asks),
        Command("pin", "Put the pin at the cursor, or take it away", "P", clock.toggle_pin, opened),
        Command("moment", "Write down a moment at the cursor", "M", lambda: window.strip.begin_moment(), opened),
        Command("next kind", "Next message in the roster", "N", lambda: _next_kind(window, 1), opened),
        Command("kind before", "Message before in the roster", "Shift+N", lambda: _next_kind(window, -1), opened),
        Command("errors", "Show what went wrong while reading", "", lambda: session.desk_wanted.emit("Intake"), opened),
    ]


def _shown_commands(window: Hands) -> list[Command]:
    session, appearance = window.session, window.appearance
    forms = [
        Command(f"as {form}", f"Show payloads as {word}", form[0].upper(), lambda form=form: session.form.ask(form))  # type: ignore[misc]
        for form, word in (("hex", "hex"), ("dec", "decimal"), ("bin", "binary"), ("text", "text"))
    ]
    return [
        *forms,
        Command("find", "Find or do", "Ctrl+K", lambda: window.header.find_box.begin()),
        Command("filter", "Filter the roster", "Ctrl+F", lambda: window.roster.filter.setFocus()),
        Command("theme", "Change between Peel and Night peel", "Ctrl+T", appearance.toggle_theme),
        Command("larger", "Larger text", "Ctrl++", lambda: appearance.change_text_size(1)),
        Command("smaller", "Smaller text", "Ctrl+-", lambda: appearance.change_text_size(-1)),
        Command("plain size", "Text as large as at first", "Ctrl+0", lambda: appearance.change_text_size(0)),
        Command("in words", "What the picture shows, as a list", "L", lambda: window.say_in_words()),
        Command("keys", "Keys of this desk", "F1", lambda: window.help.begin()),
        Command("guide", "Read the guide", "", lambda: window.read_guide()),
    ]


def _way_back_commands(window: Hands) -> list[Command]:
    session = window.session

    def undo() -> None:
        done = session.undo.undo()
        session.told.emit("", f"Undone: {done}." if done else "There is nothing to undo.")

    def redo() -> None:
        done = session.undo.redo()
        session.told.emit("", f"Done again: {done}." if done else "There is nothing to do again.")

    def opened() -> bool:
        return _is_open(window)

    return [
        Command("undo", "Take the last thing back", "Ctrl+Z", undo, opened),
        Command("redo", "Do again what was taken back", "Ctrl+Shift+Z", redo, opened),
    ]


def _trial_commands(window: Hands) -> list[Command]:
    trial, library = window.header.trial, window.header.library
    return [
        Command("open", "Open recordings or a trial", "Ctrl+O", trial.ask_open),
        Command("new trial", "Begin a new trial", "Ctrl+N", trial.ask_new),
        Command("save as", "Save the trial under another name", "Ctrl+Shift+S", trial.ask_save_as,
                lambda: _is_open(window)),
        Command("close trial", "Close the trial", "Ctrl+W", trial.close_trial, lambda: _is_open(window)),
        Command("open demo", "Open the Yuzu trial", "", window.session.trials.open_demo),
        Command("export", "Hand decoded values over to a file", "Ctrl+E", lambda: window.show_desk("Hand over"),
                lambda: _is_open(window)),
        Command("connect", "Connect to a library on a server", "", library.ask_server,
                lambda: _is_open(window)),
        Command("library file", "Use another library file", "", library.ask_file,
                lambda: _is_open(window)),
        Command("forget password", "Forget the password of the library's server", "", library.forget_password,
                lambda: library.is_on_server),
        Command("release", "Make a release of the library", "", library.ask_release,
                lambda: _is_open(window)),
        Command("quit", "Close the window", "Ctrl+Q", window.close),
    ]  # fmt: skip


def _next_kind(window: Hands, step: int) -> None:
    kinds = window.roster.model.kinds()
    if not kinds:
        return
    current = window.session.in_hand.kind
    place = kinds.index(current) + step if current in kinds else 0
    window.session.in_hand.take_kind(kinds[place % len(kinds)])
