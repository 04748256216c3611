"""Recordings as scripts use them."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..core.captures.report import CaptureReadError
from ..core.conditions.bind import Known, bind
from ..core.conditions.hits import Hits
from ..core.conditions.hits import find as look_for
from ..core.durations import duration_ns
from ..core.errors import MisuseError
from ..core.handover.block import Blocks
from ..core.handover.clock_table import Between
from ..core.handover.decoded_table import Shape, Shaped, decoded_table
from ..core.handover.findings import json_lines
from ..core.handover.found_table import FOUND_SCHEMA, SINCE_SCHEMA, found_table
from ..core.handover.frame_table import FRAME_SCHEMA, frame_table
from ..core.handover.gathered import array_of
from ..core.handover.problem_table import problem_table
from ..core.handover.times import TimeForm, with_times
from ..core.handover.wide_table import wide_schema, wide_table
from ..core.handover.writers import ORIGIN_KEY
from ..core.problems.limits import Limits
from ..core.problems.look import look_for_problems
from ..core.reading.meaning import Meaning
from ..core.recipes.json_form import recipes_from_file
from ..core.trial.content import Moment, TrialFile
from ..core.trial.intake import BroughtIn, bring_in, open_trial_capture
from ..core.trial.recipe_choice import RecipeChoice
from ..core.trial.trial import FILE_NAME, Trial
from ..core.unravel.look import Asked
from ..core.unravel.look import unravel as look_at
from ..core.words import counted
from .library import Library, layouts_of, origin_of


class Capture:
    """Frames of one or more recordings on one clock, in order of time.

    Use :func:`open_capture`; as a context manager it lets go of its files at the end.

    Attributes
    ----------
    troubles
        What could not be read, a sentence each.
    """

    def __init__(self, made: BroughtIn, said: TrialFile, folder: tempfile.TemporaryDirectory[str] | None) -> None:
        self._made, self._said, self._folder = made, said, folder
        self._meanings: dict[int, tuple[Library | None, Meaning]] = {}
        reports = [(outcome.path, outcome.report) for outcome in made.outcomes]
        self.troubles = tuple(
            [f"{outcome.path}: {outcome.error}" for outcome in made.outcomes if outcome.error]
            + [f"{path}, {one.place}: {one.reason}" for path, report in reports for one in report.problems]
        )

    @property
    def lanes(self) -> tuple[str, ...]:
        """Names of the lanes."""
        return tuple(lane.name for lane in self._made.capture.lanes)

    @property
    def start_ns(self) -> int:
        """The time of the first frame, 0 where there is none."""
        return self._made.capture.origin_ns

    @property
    def end_ns(self) -> int:
        """The time of the last frame, 0 where there is none."""
        return self._made.capture.end_ns

    def __len__(self) -> int:
        """How many frames there are."""
        return len(self._made.capture)

    def frames(self, *, times: TimeForm = "ns") -> pa.Table:
        """Return the frames, undecoded.

        Columns: ``time_ns`` int64, ``lane``, ``address`` int64, ``direction``, ``flags``, ``size``, ``payload`` (hex),
        ``words`` (the address as people write it).

        Parameters
        ----------
        times
            ``ns``; ``seconds`` since the start, float64 in ``time_s``; or ``iso``, text in ``time``.
        """
        return _table(*with_times(FRAME_SCHEMA, frame_table(self._made.capture), times, self.start_ns))

    def decode(
        self, library: Library, *, shape: Shape = "long", where: str = "", every: str = "100ms",
        between: Between = "hold", times: TimeForm = "ns",
    ) -> pa.Table:  # fmt: skip
        """Return decoded values.

        Parameters
        ----------
        shape
            ``long``, a row a frame and field; ``wide``, a row a frame and a column ``message.field`` each; ``clock``,
            the same columns with a row every so often.
        where
            A condition, as ``size == 8 and `water speed` > 3 kn``; only frames in which it holds.
        every, between
            Of ``clock``: how far rows are apart, and what a value is between two frames: ``hold``, ``nearest`` or
            ``linear``.
        times
            As of :meth:`frames`.

        Raises
        ------
        MisuseError
            If the library reads no frame, or the condition makes no sense.
        """
        schema, blocks = self._decoded(library, shape, where, every, between, times)
        return _table(schema, blocks)

    def batches(
        self, library: Library, *, shape: Shape = "long", where: str = "", every: str = "100ms",
        between: Between = "hold", times: TimeForm = "ns",
    ) -> Iterator[pa.Table]:  # fmt: skip
        """Yield what :meth:`decode` returns in pieces of one schema, so that any length fits the memory."""
        schema, blocks = self._decoded(library, shape, where, every, between, times)
        yield schema.empty_table()
        for block in blocks:
            for table in block.tables():
                yield table.replace_schema_metadata(schema.metadata)

    def arrays(self, library: Library, message: str) -> dict[str, NDArray[np.generic]]:
        """Return the values of one message as arrays of one length, in order of time.

        ``time_ns`` is int64 (n,), numbers are float64 (n,) in the field's unit with NaN where there is no value, names
        and texts are arrays of str, empty where there is none.

        Raises
        ------
        MisuseError
            If no frame is read by a message of this name.
        """
        meaning = self._meaning(library)
        kinds = [kind for kind, matched in enumerate(meaning.kinds)
                 if any(reader.layout.name == message for reader in matched.readers)]  # fmt: skip
        if not kinds:
            raise MisuseError(f"no frame is read by a message {message!r}.")
        table = _table(wide_schema(meaning, kinds), wide_table(meaning, None, kinds))
        table = table.filter(pc.equal(table.column("message"), message))
        begin = f"{message}."
        fields = [name for name in table.column_names if name.startswith(begin)]
        return {"time_ns": array_of(table.column("time_ns"))} | {
            name.removeprefix(begin): array_of(table.column(name)) for name in fields
        }

    def find(self, condition: str, library: Library | None = None, *, times: TimeForm = "ns") -> pa.Table:
        """Return the frames in which a condition holds: the columns of :meth:`frames`, then ``message``, ``says``.

        Parameters
        ----------
        library
            What names in the condition mean; without one it asks for sizes, bytes, flags and times.

        Raises
        ------
        MisuseError
            If the condition makes no sense.
        """
        hits = self._hits(condition, library)
        schema = FOUND_SCHEMA if hits.since_ns is None else SINCE_SCHEMA
        blocks = found_table(self._meaning(library), hits.rows, hits.since_ns)
        return _table(*with_times(schema, blocks, times, self.start_ns))

    def problems(self, library: Library | None = None) -> pa.Table:
        """Return what is wrong, what weighs most first: a row a kind of problem, lane, address, flags and field."""
        found = look_for_problems(self._meaning(library), Limits(self._said.limits)).problems
        return problem_table(found)

    def unravel(
        self, library: Library | None = None, *, lane: str = "", address: int | None = None, only: Iterable[str] = (),
    ) -> list[dict[str, Any]]:  # fmt: skip
        """Return what is found out about bits that the library does not explain, best first within a message.

        Parameters
        ----------
        lane, address
            Only these.
        only
            Only findings of these kinds, such as ``field``, ``counter`` or ``check``.

        Returns
        -------
        list of dict
            Each with ``kind``, ``lane``, ``address``, ``places``, ``confidence`` (0 to 1), ``parameters``, ``reason``
            and more.
        """
        found = look_at(self._meaning(library), Asked(lane, address, frozenset(only)))
        findings = [one for kind in found.kinds for one in sorted(kind.findings, key=lambda one: -one.confidence)]
        return [json.loads(line) for line in json_lines(findings)]

    def close(self) -> None:
        """Let go of the files that the frames lie in; nothing can be asked any more."""
        self._meanings.clear()
        if self._folder is not None:
            self._folder.cleanup()

    def __enter__(self) -> Capture:
        return self

    def __exit__(self, *_error: object) -> None:
        self.close()

    def __repr__(self) -> str:
        return f"<Capture of {counted(len(self), 'frame')} on {', '.join(self.lanes) or 'no lane'}>"

    def _meaning(self, library: Library | None) -> Meaning:
        found = self._meanings.get(id(library))
        if found is None:
            release = library.release if library is not None else ""
            meaning = Meaning.of(self._made.capture, layouts_of(library), self._said.ties, release)
            # the library is kept, too, so that no other one gets its number
            found = self._meanings[id(library)] = library, meaning
        return found[1]

    def _hits(self, condition: str, library: Library | None) -> Hits:
        meaning = self._meaning(library)
        moments: Sequence[Moment] = self._said.moments
        return look_for(meaning, bind(condition, Known(self.lanes, list(meaning.layouts.values()), moments)))

    def _decoded(
        self, library: Library, shape: Shape, where: str, every: str, between: Between, times: TimeForm
    ) -> tuple[pa.Schema, Blocks]:
        meaning = self._meaning(library)
        rows = self._hits(where, library).rows if where else None
        schema, blocks = decoded_table(meaning, Shaped(shape, duration_ns(every), between), rows)
        schema = schema.with_metadata({ORIGIN_KEY: origin_of(library).to_json()})
        return with_times(schema, blocks, times, self.start_ns)


def open_capture(*sources: str | Path, recipes: Iterable[str | Path] = (), library: str | Path = "") -> Capture:
    """Read recordings onto one clock, or open the folder of a trial.

    Parameters
    ----------
    sources
        Files of recordings; or one folder of a trial, which is read with its recipes, offsets and moments.
    recipes
        Files of recipes: how waves, bytes or packets become frames. The one that fits a recording best is taken.
    library
        Where a library is whose recipes are taken where none of these fits.

    Raises
    ------
    DataError
        If nothing at all could be read; what is wrong with some is in :attr:`Capture.troubles`.
    """
    if not sources:
        raise MisuseError("nothing is to be opened.", hint="Name recordings, or the folder of a trial.")
    paths = [Path(source) for source in sources]
    if len(paths) == 1 and (paths[0] / FILE_NAME).exists():
        trial = Trial.open(paths[0])
        return _checked(Capture(open_trial_capture(trial), trial.file, None))
    given = [recipe for file in recipes for recipe in recipes_from_file(Path(file))]
    choice = RecipeChoice(given, (lambda: _recipes_of(library)) if library else None)
    folder = tempfile.TemporaryDirectory(prefix="zesty-abacus-")
    try:
        requests = [request for path in paths for request in choice.requests(path)]
        made = bring_in(requests, Path(folder.name) / "capture")
        return _checked(Capture(made, TrialFile(name=""), folder))
    except BaseException:
        folder.cleanup()
        raise


def _checked(capture: Capture) -> Capture:
    outcomes = capture._made.outcomes
    failed = [outcome.error or f"{outcome.path}: it takes a recipe to read it."
              for outcome in outcomes if outcome.error or outcome.needs_recipe]  # fmt: skip
    if failed and len(failed) == len(outcomes):
        raise CaptureReadError(" ".join(failed[:3]))
    return capture


def _recipes_of(where: str | Path) -> list[Any]:
    from ..core.library.store import Library as Store  # a database is loaded only where there is one

    store = Store.open(where)
    try:
        return list(store.recipes.states())
    finally:
        store.close()


def _table(schema: pa.Schema, blocks: Blocks) -> pa.Table:
    pieces = [table.replace_schema_metadata(schema.metadata) for block in blocks for table in block.tables()]
    return pa.concat_tables([schema.empty_table(), *pieces])
