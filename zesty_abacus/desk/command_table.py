"""What can be done in the window, with its keys."""

from __future__ import annotations

from typing import TYPE_CHECKING

from .commands import Command

if TYPE_CHECKING:
    from .window import Window

DESKS = ("Intake", "Read", "Unravel", "Layouts", "Hand over")
"""The desks in the order of the work."""
_LIBRARY_PAGES = {"Layouts": "Ctrl+L", "Proposals": "Ctrl+P", "Releases": "", "Recordings": "", "Moments": ""}


def command_table(window: Window) -> list[Command]:
    """Return all commands of a window."""
    return [
        *_desk_commands(window),
        *_time_commands(window),
        *_shown_commands(window),
        *_edit_commands(window),
        *_intake_commands(window),
        *_trial_commands(window),
    ]


def _desk_commands(window: Window) -> list[Command]:
    return [
        Command(f"desk {name}", f"Go to {name}", str(number), lambda name=name: window.show_desk(name))  # type: ignore[misc]
        for number, name in enumerate(DESKS, 1)
    ] + [
        Command(f"library {page}", f"Library: {page.lower()}", key, lambda page=page: window.show_library(page))  # type: ignore[misc]
        for page, key in _LIBRARY_PAGES.items()
    ]


def _is_open(window: Window) -> bool:
    return window.session.capture is not None


def _time_commands(window: Window) -> list[Command]:
    session, clock = window.session, window.session.clock

    def opened() -> bool:
        return _is_open(window)

    return [
        Command("whole", "Show the whole capture", "X", clock.show_all, opened),
        Command("closer", "Zoom in at the cursor", "Z", lambda: clock.zoom(0.5, clock.cursor_ns), opened),
        Command("wider", "Zoom out at the cursor", "Shift+Z", lambda: clock.zoom(2.0, clock.cursor_ns), opened),
        Command("frame back", "One frame back", ",", lambda: _step(window, -1), opened),
        Command("frame on", "One frame on", ".", lambda: _step(window, 1), opened),
        Command("pin", "Put the pin at the cursor, or take it away", "P", clock.toggle_pin, opened),
        Command("moment", "Write down a moment at the cursor", "M", lambda: window.strip.begin_moment(), opened),
        Command("next kind", "Next message in the roster", "N", lambda: _next_kind(window, 1), opened),
        Command("kind before", "Message before in the roster", "Shift+N", lambda: _next_kind(window, -1), opened),
        Command("errors", "Show what went wrong while reading", "", lambda: session.desk_wanted.emit("Intake"), opened),
    ]


def _shown_commands(window: Window) -> list[Command]:
    session = window.session
    forms = [
        Command(f"as {form}", f"Show payloads as {word}", form[0].upper(), lambda form=form: session.set_form(form))  # type: ignore[misc]
        for form, word in (("hex", "hex"), ("dec", "decimal"), ("bin", "binary"), ("text", "text"))
    ]
    return [
        *forms,
        Command("find", "Find or do", "Ctrl+K", lambda: window.find_box.begin()),
        Command("filter", "Filter the roster", "Ctrl+F", lambda: window.roster.filter.setFocus()),
        Command("theme", "Change between Peel and Night peel", "Ctrl+T", window.toggle_theme),
        Command("keys", "Keys of this desk", "F1", lambda: window.help.begin()),
    ]


def _edit_commands(window: Window) -> list[Command]:
    session = window.session
    unravel, layouts = window.unravel, window.layouts

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
        Command("keep", "Keep the chosen reading as a field", "K", lambda: _keep(window), opened, "Unravel"),
        Command("new field", "New field from the selected beads", "F", layouts.add_field, opened, "Layouts"),
        Command(
            "drop in",
            "Drop in an array, a check or a computed value",
            "Shift+F",
            layouts.choose_template,
            opened,
            "Layouts",
        ),
        Command("other order", "Turn the byte order of the field round", "O", layouts.turn_order, opened, "Layouts"),
        Command("remove field", "Remove the field", "Shift+Del", layouts.remove_field, opened, "Layouts"),
        *_reshape_commands(window),
        Command("reading on", "Next reading of the selection", "]", lambda: _reading(window, 1), opened, "Unravel"),
        Command("reading back", "Reading before", "[", lambda: _reading(window, -1), opened, "Unravel"),
        Command(
            "select moving", "Select all unexplained moving bits", "U", unravel.select_unexplained, opened, "Unravel"
        ),
    ]


def _reshape_commands(window: Window) -> list[Command]:
    layouts = window.layouts
    reshaper = layouts.reshaper

    def opened() -> bool:
        return _is_open(window)

    made = [
        ("next field", "Next field, in the first free bits", "Ctrl+Return", layouts.add_next),
        ("split", "Split the open field", "S", reshaper.split),
        ("join", "Join the open field with the next one", "J", reshaper.join),
        ("bit up", "Move the open field up by a bit", "Ctrl+Left", lambda: reshaper.shift(1)),
        ("bit down", "Move the open field down by a bit", "Ctrl+Right", lambda: reshaper.shift(-1)),
        ("longer", "Make the open field a bit longer", "Ctrl+Shift+Left", lambda: reshaper.stretch(1)),
        ("shorter", "Make the open field a bit shorter", "Ctrl+Shift+Right", lambda: reshaper.stretch(-1)),
        ("find order", "Find the order of a known value", "V", layouts.find_order),
        ("next variant", "Next variant of the message", "]", lambda: layouts.plan.tabs.go(1)),
        ("variant before", "Variant before", "[", lambda: layouts.plan.tabs.go(-1)),
        ("compare", "Compare with another layout", "", layouts.offer_compared),
        ("bring in", "Bring layouts in from a file", "", layouts.ask_bring_in),
    ]
    return [Command(name, words, key, call, opened, "Layouts") for name, words, key, call in made]


def _trial_commands(window: Window) -> list[Command]:
    return [
        Command("open", "Open recordings or a trial", "Ctrl+O", window.ask_open),
        Command("new trial", "Begin a new trial", "Ctrl+N", window.ask_new),
        Command("save as", "Save the trial under another name", "Ctrl+Shift+S", window.ask_save_as,
                lambda: _is_open(window)),
        Command("close trial", "Close the trial", "Ctrl+W", window.close_trial, lambda: _is_open(window)),
        Command("open demo", "Open the Yuzu trial", "", window.session.trials.open_demo),
        Command("export", "Hand decoded values over to a file", "Ctrl+E", lambda: window.show_desk("Hand over"),
                lambda: _is_open(window)),
        Command("connect", "Connect to a library on a server", "", lambda: window.library_label.ask_server(),
                lambda: _is_open(window)),
        Command("library file", "Use another library file", "", lambda: window.library_label.ask_file(),
                lambda: _is_open(window)),
        Command("release", "Make a release of the library", "", lambda: window.library_label.ask_release(),
                lambda: _is_open(window)),
        Command("quit", "Close the window", "Ctrl+Q", window.close),
    ]  # fmt: skip


def _intake_commands(window: Window) -> list[Command]:
    bench = window.intake.bench

    def out() -> bool:
        return bench.outcome is not None

    def search(step: int, **what: bool) -> None:
        if not bench.go_next(step, **what):
            words = "with a fault" if what.get("wrong") else "of this address"
            window.session.told.emit("", f"There is no {'further' if step > 0 else 'earlier'} frame {words}.")

    return [
        Command("next fault", "Next frame with a fault", "E", lambda: search(1, wrong=True), out, "Intake"),
        Command("fault before", "Frame with a fault before", "Shift+E", lambda: search(-1, wrong=True), out, "Intake"),
        Command("next same", "Next frame of this address", "A", lambda: search(1, same_address=True), out, "Intake"),
        Command("same before", "Frame of this address before", "Shift+A", lambda: search(-1, same_address=True), out,
                "Intake"),
        Command("whole frame", "Bring the whole frame into view", "W", lambda: bench.show_frame(bench.current()), out,
                "Intake"),
        Command("whole source", "Show the whole recording", "Shift+X",
                lambda: window.session.clock.set_view(*bench.span_ns), out, "Intake"),
        Command("use frames", "Use these frames", "Shift+U", bench.use, out, "Intake"),
    ]  # fmt: skip


def _step(window: Window, step: int) -> None:
    if window.desk_name == "Intake" and window.intake.bench.outcome is not None:
        window.intake.came_out.go(step)
    else:
        window.read.frames.go(step)


def _reading(window: Window, step: int) -> None:
    reckoner = window.unravel.reckoner
    reckoner.choose(reckoner.current_number + step)


def _keep(window: Window) -> None:
    """K keeps the reading if the form is filled in, and goes to what is missing otherwise."""
    if not window.unravel.side.keep_field():
        window.session.told.emit("", "Give it a name, then press Enter.")


def _next_kind(window: Window, step: int) -> None:
    kinds = [entry for entry in window.roster.model.entries if isinstance(entry, int)]
    if not kinds:
        return
    current = window.session.kind
    place = kinds.index(current) + step if current in kinds else 0
    window.session.select_kind(kinds[place % len(kinds)])
