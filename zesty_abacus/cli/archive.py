"""``zesty-abacus archive``: many recordings at once."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator
from importlib.metadata import version
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from ..core.archive.errors import ArchiveError
from ..core.words import counted
from .find import NO_HIT
from .groups import Entry, LazyGroup
from .options import LibraryName, output_option, table_options
from .terminal import say

if TYPE_CHECKING:
    from ..core.archive.task import Failed, Task
    from ..core.layouts.model import Layout
    from ..core.library.documents import Recording
    from ..core.origin import Origin

_COMMANDS = {
    "add": Entry(".archive:add", "Put recordings below folders into the catalogue."),
    "decode": Entry(".archive:decode", "Decode all into a dataset of Parquet files, by message and day."),
    "find": Entry(".archive:find", "Put out the frames of all in which a condition holds."),
    "problems": Entry(".archive:problems", "Put out what is wrong in each."),
    "summary": Entry(".archive:summary", "Put out how far each is explained, and what its values are like."),
    "unravel": Entry(".archive:unravel", "Put out what unknown bits are, seen over all of them."),
}


@click.group(cls=LazyGroup, entries=_COMMANDS)
def archive() -> None:
    """Keep a catalogue of many recordings in a library, decode and ask them at once."""


_LIBRARY = click.option(
    "--library", "where", required=True, type=LibraryName(), help="File or server of the library with the catalogue."
)
_RELEASE = click.option("--release", default="", help="A release of the library; the newest state if left out.")


def _processes(command: Callable[..., Any]) -> Callable[..., Any]:
    command = click.option("--workers", type=click.IntRange(0, 1024), default=0,
                           help="Processes of this machine; one a processor if left out.")(command)  # fmt: skip
    return click.option("--scheduler", default="", help="Instead: a cluster that Dask speaks to, as tcp://HOST:PORT.")(
        command
    )


@click.command()
@click.argument("paths", nargs=-1, required=True, type=click.Path(path_type=Path), metavar="PATH...")
@_LIBRARY
@click.option("--author", default="", help="Who adds; this user if left out.")
def add(paths: tuple[Path, ...], where: str, author: str) -> None:
    """Put the recordings PATH..., files and those below folders, into the catalogue.

    A recording is known by its content: added again it is not doubled. What cannot be read is in the catalogue, too,
    and told each time.
    """
    from ..core.archive.catalogue import files_below
    from ..core.archive.listing import list_recordings
    from ..core.library.author import default_author
    from .libraries import open_library
    from .recipe_choice import recipe_choice

    files = files_below(paths)
    choice = recipe_choice([], where)
    library = open_library(where)
    try:
        listed = list_recordings(library, files, choice.requests, author or default_author(), told=_tell)
    finally:
        library.close()
    say(f"{counted(listed.fresh, 'recording')} added, {counted(len(files), 'file')} looked at", err=True)


@click.command()
@_LIBRARY
@_RELEASE
@click.option("-o", "--output", "folder", required=True, type=click.Path(path_type=Path), help="Folder of the dataset.")
@_processes
def decode(where: str, release: str, folder: Path, workers: int, scheduler: str) -> None:
    """Decode all recordings of the catalogue into DATASET: Parquet with the columns of decode, by message and day.

    Called again it does only what is new or changed: other recordings, another release or revision, another version.
    The last line on standard output says how it went, as JSON.
    """
    from ..core.archive.dataset import Dataset, decode_recording, decode_tasks
    from ..core.archive.task import Failed
    from ..core.layouts.json_form import layouts_to_file_text
    from .stopping import stopped_by_signals

    recordings, layouts, origin = _catalogue(where, release)
    text = layouts_to_file_text(layouts)
    dataset, state = Dataset(folder), _state(origin, text)
    path = dataset.begin(text, state)
    tasks, failed = _tasks(recordings, where, path)
    unread = len(failed)
    asked = decode_tasks(tasks, str(folder.absolute()), state)
    dataset.keep_only({one.key for one in asked})
    done = [found for one in asked if (found := dataset.done(one)) is not None]
    finished = {one.key for one in done}
    left = [one for one in asked if one.key not in finished]
    fresh = len({one.task.digest for one in left})
    cut = f" in {counted(len(left), 'piece')}" if len(left) > fresh else ""
    say(f"decoding {counted(fresh, 'recording')}{cut} with {origin.words()}", err=True)
    with stopped_by_signals() as stopped:
        for one in _worked(left, decode_recording, lambda asked: asked.task.path, workers, scheduler, stopped.is_set):
            if isinstance(one, Failed):
                failed.append(one)
                _tell(one.path, one.reason)
            else:
                done.append(one)
                say(f"{len(done) + len(failed)} of {len(asked) + unread}", err=True)
        ended = stopped.is_set()
    if ended:
        say("zesty-abacus: stopped; called again it goes on.", err=True)
    # of a recording in pieces the first reason is told
    reasons = {one.path: _alone(one.path, one.reason) for one in reversed(failed)}
    told = [{"path": path, "reason": reason} for path, reason in reversed(reasons.items())]
    say(json.dumps({"recordings": len(recordings), "frames": sum(one.frames for one in done), "failed": told}))


@click.command()
@_LIBRARY
@_RELEASE
@click.option("--where", "condition", required=True, help="What is asked, as: size == 8 and `water speed` > 3 kn.")
@_processes
@table_options
def find(
    where: str, release: str, condition: str, workers: int, scheduler: str,
    form: str, as_is: bool, output: Path | None, force: bool,
) -> int:  # fmt: skip
    """Put out the frames of all recordings in which a condition holds: the columns of find, then recording.

    Ends with 3 if none is found.
    """
    from ..core.conditions.bind import Known, bind

    recordings, layouts, _ = _catalogue(where, release)
    lanes = sorted({lane.name for one in recordings for lane in one.lanes})
    # a condition that makes no sense is told before any recording is read
    bind(condition, Known(lanes, layouts, ()))
    rows = _ask("find", condition, where, release, workers, scheduler, form, as_is, output, force)
    return 0 if rows else NO_HIT


@click.command()
@_LIBRARY
@_RELEASE
@_processes
@table_options
def problems(
    where: str, release: str, workers: int, scheduler: str, form: str, as_is: bool, output: Path | None, force: bool
) -> None:
    """Put out what is wrong in each recording: the columns of problems, then recording."""
    _ask("problems", "", where, release, workers, scheduler, form, as_is, output, force)


@click.command()
@_LIBRARY
@_RELEASE
@_processes
@table_options
def summary(
    where: str, release: str, workers: int, scheduler: str, form: str, as_is: bool, output: Path | None, force: bool
) -> None:
    """Put out a row a kind of messages of each recording with its bits, and a row a field with its distribution."""
    _ask("summary", "", where, release, workers, scheduler, form, as_is, output, force)


@click.command()
@_LIBRARY
@_RELEASE
@click.option("--only", multiple=True, help="Only findings of this kind; may be given several times.")
@click.option("--to", "form", type=click.Choice(["jsonl", "text"]), default="jsonl", show_default=True)
@output_option
def unravel(where: str, release: str, only: tuple[str, ...], form: str, output: Path | None, force: bool) -> None:
    """Put out what is found out about unknown bits over all recordings at once, one finding a line.

    What never moved in one run may have moved in another, so all are looked at as one capture, in this process.
    """
    from .unravel import unravel as look

    recordings, _, _ = _catalogue(where, release)
    there = tuple(Path(one.path) for one in recordings if one.lanes and Path(one.path).exists())
    for one in recordings:
        if one.lanes and Path(one.path) not in there:
            _tell(one.path, "it is not there any more.")
    if not there:
        raise ArchiveError("none of its recordings can be read.", where=where, hint="Add them where they lie now.")
    click.get_current_context().invoke(
        look, sources=there, where=where, release=release, with_known=False, lane="", address="", references=(),
        only=only, keep_above=None, author="", form=form, recipes=(), moments=None, output=output, force=force,
    )  # fmt: skip


def _ask(
    kind: str, condition: str, where: str, release: str, workers: int, scheduler: str,
    form: str, as_is: bool, output: Path | None, force: bool,
) -> int:  # fmt: skip
    """Ask every recording and put out the answers in the order of the catalogue; returns how many rows there are."""
    import tempfile

    from ..core.archive.answers import Answers
    from ..core.archive.asking import Question, ask, schema_of
    from ..core.archive.task import Failed
    from ..core.layouts.json_form import layouts_to_file_text
    from .output import put_out, target_for
    from .stopping import stopped_by_signals

    target = target_for(output, force, where)
    recordings, layouts, origin = _catalogue(where, release)
    with tempfile.TemporaryDirectory(prefix="zesty-archive-") as folder, stopped_by_signals() as stopped:
        path = Path(folder) / "layouts.json"
        path.write_text(layouts_to_file_text(layouts))
        tasks, failed = _tasks(recordings, where, path)
        questions = [Question(task, kind, condition) for task in tasks]
        answers = Answers(Path(folder))
        for one in _worked(questions, ask, lambda asked: asked.task.path, workers, scheduler, stopped.is_set):
            if isinstance(one, Failed):
                failed.append(one)
            else:
                answers.put(one.path, one.table)
        for bad in failed:
            _tell(bad.path, bad.reason)
        schema = answers.schema or schema_of(kind, condition)
        put_out(form, target, schema, answers.tables(task.path for task in tasks), origin, as_is=as_is)
    return answers.count


def _tell(path: str, reason: str) -> None:
    say(f"zesty-abacus: {path}: {_alone(path, reason)}", err=True)


def _alone(path: str, reason: str) -> str:
    """Return a reason without the file, which most errors name, too."""
    return reason.removeprefix(f"{path}: ")


def _worked(
    pieces: list[Any], work: Callable[[Any], Any], name: Callable[[Any], str], workers: int, scheduler: str,
    is_stopped: Callable[[], bool],
) -> Iterator[Any]:  # fmt: skip
    from ..core.archive.engine import work_on

    yield from work_on(pieces, work, name, workers=workers, scheduler=scheduler, is_stopped=is_stopped)


def _catalogue(where: str, release: str) -> tuple[list[Recording], list[Layout], Origin]:
    """Return recordings, layouts and where these are from.

    Raises
    ------
    ArchiveError
        If the catalogue is empty.
    """
    from ..core.archive.runs import newest_recordings
    from .asking import layouts_of
    from .libraries import open_library

    library = open_library(where)
    recordings = newest_recordings(library)
    library.close()
    if not recordings:
        raise ArchiveError("its catalogue is empty.", where=where, hint="Fill it with zesty-abacus archive add.")
    layouts, origin = layouts_of(where, release, ())
    assert origin is not None, "there is a library"
    return recordings, layouts, origin


def _tasks(recordings: list[Recording], where: str, layouts: Path) -> tuple[list[Task], list[Failed]]:
    """Return what is to be worked on, and what cannot be."""
    from ..core.archive.runs import tasks_for
    from .recipe_choice import recipe_choice

    return tasks_for(recordings, recipe_choice([], where).requests, layouts)


def _state(origin: Origin, layouts: str) -> str:
    """Return a word for exactly these layouts and this version of the program."""
    said = f"{origin.library_id} {origin.release} {version('zesty-abacus')} {layouts}"
    return hashlib.sha256(said.encode()).hexdigest()[:24]
