"""Sources and outputs of the commands that put out tables."""

from __future__ import annotations

import shutil
import sys
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from ..core.captures.report import CaptureReadError
from ..core.captures.source import files_of_source
from ..core.errors import AbacusError
from ..core.files.errors import file_errors
from ..core.files.writing import Target, check_targets
from ..core.frames.capture import Capture
from ..core.handover.block import Blocks, block_of
from ..core.handover.times import TimeForm, with_times
from ..core.handover.writers import Rows, export_tables, write_tables
from ..core.origin import Origin, origin_target, write_origin
from ..core.recipes.json_form import recipes_from_file
from ..core.trial.content import TrialFile
from ..core.trial.intake import BroughtIn, SourceOutcome, bring_in, open_trial_capture
from ..core.trial.trial import FILE_NAME, Trial
from .recipe_choice import recipe_choice
from .terminal import say

if TYPE_CHECKING:
    # commands that put out frames load no layouts
    from ..core.layouts.model import Layout
    from ..core.reading.meaning import Meaning

_LISTED = 5
_NAMED = 3
_MOST_TOLD = 100


def target_for(output: Path | None, force: bool, *inputs: str | Path) -> Target | None:
    """Return where a command writes, None for standard output.

    It is checked at once, so that a name that is taken costs no work. No input is ever written over; of a trial
    everything that it reads is one.

    Raises
    ------
    FileError
        If the file must not be written.
    """
    if output is None or str(output) == "-":
        return None
    target = Target(output, force, tuple(file for one in inputs for file in _files_of(one)))
    target.check()
    return target


def _files_of(source: str | Path) -> list[Path]:
    """Return the files that reading a source, a library or a trial reads."""
    if "://" in str(source) or str(source) == "-":
        return []
    path = Path(source)
    if not path.is_dir():
        return files_of_source(path)
    try:
        return Trial.open(path).files()
    except AbacusError:
        # what is wrong with it is told when it is opened
        return []


@dataclass(frozen=True, slots=True, eq=False)
class OpenedSources:
    """Recordings read into a capture, and what their trial says of them.

    Attributes
    ----------
    made
        The capture, and what came out of each source.
    said
        What the trial says of them, nothing if they are none.
    """

    made: BroughtIn
    said: TrialFile

    @property
    def name(self) -> str:
        """Name and run of the trial, empty if they are none."""
        return f"{self.said.name} {self.said.run}".strip()

    @property
    def capture(self) -> Capture:
        """The frames of all sources."""
        return self.made.capture

    def meaning(self, layouts: Iterable[Layout], release: str = "") -> Meaning:
        """Return what the frames mean by some layouts, with the ties of the trial."""
        from ..core.reading.meaning import Meaning  # frames are put out without one

        meaning = Meaning.of(self.capture, layouts, self.said.ties, release)
        troubles = meaning.troubles()
        for sentence in troubles[:_LISTED]:
            say(f"zesty-abacus: {sentence} Its messages are left out.", err=True)
        if len(troubles) > _LISTED:
            say(f"zesty-abacus: {len(troubles) - _LISTED} more layouts have problems; library check tells.", err=True)
        return meaning


@contextmanager
def opened_sources(
    sources: tuple[Path, ...], recipe_files: tuple[Path, ...] = (), library: str = ""
) -> Iterator[OpenedSources]:
    """Read recordings, or a trial's folder, into a capture that is gone afterwards.

    Of the recipes in the files, each source takes the one that fits it best; where none does, one of the library.

    Problems go to standard error; what could be read is used.

    Raises
    ------
    CaptureReadError
        If nothing at all could be read.
    """
    with tempfile.TemporaryDirectory(prefix="zesty-abacus-") as folder:
        said = TrialFile(name="")
        if len(sources) == 1 and (sources[0] / FILE_NAME).exists():
            trial = Trial.open(sources[0])
            if outside := trial.outside():
                named = ", ".join(map(str, outside[:_NAMED])) + (" and more" if len(outside) > _NAMED else "")
                say(f"zesty-abacus: this trial reads files outside its folder: {named}.", err=True)
            said = trial.file
            made = open_trial_capture(trial)
        else:
            given = [_from_standard_input(Path(folder)) if str(path) == "-" else path for path in sources]
            choice = recipe_choice([recipe for file in recipe_files for recipe in recipes_from_file(file)], library)
            made = bring_in([request for path in given for request in choice.requests(path)], Path(folder) / "capture")
        failed = [outcome.error or _need(outcome) for outcome in made.outcomes if outcome.error or outcome.needs_recipe]
        if failed and len(failed) == len(made.outcomes):
            raise CaptureReadError(_few(failed))
        for outcome in made.outcomes[:_MOST_TOLD]:
            _tell_problems(outcome)
        if len(made.outcomes) > _MOST_TOLD:
            wrong = sum(bool(outcome.error or outcome.report.problem_count) for outcome in made.outcomes[_MOST_TOLD:])
            say(f"zesty-abacus: {wrong} more sources have problems", err=True)
        yield OpenedSources(made, said)


def _from_standard_input(folder: Path) -> Path:
    """Keep what comes through standard input as a file, since readers look at its beginning twice."""
    path = folder / "standard input"
    with path.open("wb") as file, file_errors(path, "standard input cannot be kept"):
        shutil.copyfileobj(sys.stdin.buffer, file, 1 << 20)
    return path


def _few(sentences: list[str]) -> str:
    """Return the first of many sentences, and how many there are besides."""
    more = len(sentences) - _NAMED
    return " ".join(sentences[:_NAMED]) + (f" So it is with {more} more." if more > 0 else "")


def _need(outcome: SourceOutcome) -> str:
    which = f"the recipe {outcome.silent_recipe} does not say" if outcome.silent_recipe else "no recipe says"
    return (
        f"{outcome.path}: as {outcome.report.format_name} it holds waves, and {which} what they speak. "
        "Measure one with zesty-abacus recipe, and give it with --recipe."
    )


def put_out(
    form: str, output: Target | None, schema: pa.Schema, tables: Rows, origin: Origin | None = None,
    *, as_is: bool = False, times: TimeForm = "ns", start_ns: int = 0,
) -> None:  # fmt: skip
    """Write tables to a file, with their origin beside it, or to standard output."""
    schema, tables = with_times(schema, Blocks.of(tables).then(block_of), times, start_ns)
    if output is not None:
        export_tables(output, form, schema, tables, origin=origin, as_is=as_is)
        return
    stream = sys.stdout.buffer
    write_tables(pa.PythonFile(_Unseekable(stream), mode="w"), form, schema, tables, as_is=as_is)
    stream.flush()


def put_text(text: str, output: Target | None) -> None:
    """Write a text to a file or to standard output."""
    put_bytes(text.encode("utf-8", "surrogateescape"), output)


def put_bytes(data: bytes, output: Target | None, origin: Origin | None = None) -> None:
    """Write bytes to a file, with their origin beside it, or to standard output."""
    if output is None:
        sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
        return
    if origin is not None:
        check_targets([output, origin_target(output)])
    output.write(data)
    if origin is not None:
        write_origin(output, origin)


class _Unseekable:
    """A pipe as a stream that knows its own position, which Parquet asks for."""

    closed = False

    def __init__(self, stream: Any) -> None:
        self._stream = stream
        self._position = 0

    def write(self, data: bytes) -> int:
        self._stream.write(data)
        self._position += len(data)
        return len(data)

    def tell(self) -> int:
        return self._position

    def flush(self) -> None:
        self._stream.flush()

    def close(self) -> None:
        self.flush()


def _tell_problems(outcome: SourceOutcome) -> None:
    if outcome.error or outcome.needs_recipe:
        say(f"zesty-abacus: {outcome.error or _need(outcome)}", err=True)
    if outcome.looks_like:
        how = "To have it read so, write a recipe with zesty-abacus recipe, and give it with --recipe."
        say(f"zesty-abacus: {outcome.path} looks like {outcome.looks_like}: {outcome.looks_why}. {how}", err=True)
    report = outcome.report
    for name, words in report.facts:
        say(f"zesty-abacus: {outcome.path}, {name}: {words}", err=True)
    for problem in report.problems[:_LISTED]:
        say(f"zesty-abacus: {outcome.path}, {problem.place}: {problem.reason}", err=True)
    if report.problem_count > _LISTED:
        say(f"zesty-abacus: {outcome.path}: {report.problem_count - _LISTED} more problems", err=True)
