"""A window and commands on one file: what was told as kept is there, and the window's locks stay."""

import msgspec

from tests.cli.program import run
from tests.files.test_reading import locks_on
from zesty_abacus.core.library.store import Library


def edit(pilot, note):
    layout = pilot.session.edits.layouts()[0]
    pilot.session.edits.change(msgspec.structs.replace(layout, note=note))
    pilot.settle()
    return layout.id


def test_commands_beside_a_window_take_nothing_from_it(pilot, tmp_path):
    path = pilot.session.trial.folder / "library.sqlite"
    # recordings join the trial, as they would with a click, and the library itself is dropped on the window
    (tmp_path / "a.log").write_text("".join(f"({n}.0) can7 100#0{n % 8}\n" for n in range(50)))
    pilot.session.trials.open_paths([tmp_path / "a.log"])
    pilot.settle()
    pilot.session.trials.open_paths([path])
    pilot.settle()
    assert locks_on(path), "without its locks the next command would delete the window's log"
    for number in range(3):
        assert run("library", "log", path)[0] == 0
        assert run("library", "comment", path, "Motor heat", f"seen {number}", "--author", "jo")[0] == 0
        key = edit(pilot, f"kept {number}")
        assert locks_on(path)
        # what the window was told as kept, another program sees at once
        other = Library.open(path)
        assert other.layouts.head_of(key).state.note == f"kept {number}"
        other.close()
    assert run("frames", path)[0] == 1
    assert run("library", "check", path, "--history")[1].count("sha256") == 7
    pilot.window.close()
    library = Library.open(path)
    assert library.layouts.head_of(key).state.note == "kept 2" and len(library.comments.heads()) >= 3
    library.close()
