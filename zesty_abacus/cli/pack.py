"""``zesty-abacus pack`` and ``unpack``: a trial as one file, and back."""

from __future__ import annotations

from pathlib import Path

import click

from .options import FORCE
from .terminal import say


@click.command()
@click.argument("trial", type=click.Path(path_type=Path))
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="File; it ends with .ztrial.")
@click.option("--release", default="", help="A release of its library; the trial's, or the newest state if left out.")
@click.option("--from", "begin", default="", help="Only from here on, as 10s behind the first frame.")
@click.option("--to", "end", default="", help="Only up to here, as 20s behind the first frame.")
@click.option("--lane", "lanes", multiple=True, help="Only this lane; may be given several times.")
@click.option("--message", "messages", multiple=True, help="Only the layout of this message; all if left out.")
@click.option("--without", multiple=True, type=click.Choice(["notes", "people"]),
              help="Leave out notes, or the names of people and what they said.")  # fmt: skip
@FORCE
def pack(
    trial: Path, output: Path, release: str, begin: str, end: str, lanes: tuple[str, ...], messages: tuple[str, ...],
    without: tuple[str, ...], force: bool,
) -> None:  # fmt: skip
    """Pack TRIAL into one file, with its recordings, references and what its library says.

    Of a stretch or of some lanes goes along what was recorded of them, waves cut between two frames, or else their
    frames. What did not go along is said in the file. The library in it is a working copy: library sync takes home
    what was worked out in it, unless something was left out.
    """
    from ..core.durations import duration_ns
    from ..core.files.writing import Target
    from ..core.library.taking_along import Along
    from ..core.trial.intake import open_trial_capture
    from ..core.trial.packing import Packing
    from ..core.trial.packing import pack as pack_trial
    from ..core.trial.trial import Trial
    from ..core.words import counted
    from .libraries import open_library

    opened = Trial.open(trial)
    target = Target(output, force, tuple(opened.files()))
    target.check()
    brought = open_trial_capture(opened)
    capture = brought.capture
    first, last = (capture.origin_ns + duration_ns(text) if text else None for text in (begin, end))
    along = Along(release or opened.file.release, frozenset(messages) or None, "notes" not in without,
                  "people" not in without)  # fmt: skip
    library = open_library(trial)
    try:
        made = pack_trial(opened, brought, library, target, Packing(first, last, frozenset(lanes) or None, along))
    finally:
        library.close()
    say(f"zesty-abacus: {counted(len(made.files), 'file')}, {counted(made.messages, 'message')}", err=True)
    for sentence in made.left_out:
        say(f"zesty-abacus: left out: {sentence}", err=True)


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.argument("folder", required=False, type=click.Path(path_type=Path))
def unpack(file: Path, folder: Path | None) -> None:
    """Unpack a packed trial FILE into FOLDER, which is made; beside the file if it is left out."""
    from ..core.trial.unpacking import look_into, unpacked_beside
    from ..core.trial.unpacking import unpack as unpack_trial

    about = look_into(file)
    trial = unpack_trial(file, folder) if folder is not None else unpacked_beside(file)
    say(f"zesty-abacus: {about.trial}, decoded with {about.library}, in {trial.folder}", err=True)
    for sentence in about.left_out:
        say(f"zesty-abacus: left out: {sentence}", err=True)
