"""One recording of a trial, read into a stored form of its own, on its own clock.

Nothing that other recordings, lane names or offsets say goes into it; so it is read once, however the trial changes
around it.
"""

from __future__ import annotations

import contextlib
import dataclasses
import json
import shutil
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import msgspec
import numpy as np

from ..behind import Behind
from ..captures.reference import read_reference
from ..captures.registry import REFERENCE, line_formats, read_lines, read_recording, recognise
from ..captures.report import CaptureReadError, ReadReport
from ..errors import AbacusError
from ..frames import flags as F
from ..frames.capture import Capture, Lane
from ..frames.store import CaptureStoreError, CaptureWriter, open_capture
from ..frames.table import FrameTable
from ..links.framing import framing_of
from ..links.over_can import TAKES
from ..progress import Progress
from ..recipes.devices import DeviceFramer
from ..recipes.first_pieces import FirstPieces
from ..recipes.messages import MessageFramer
from ..recipes.model import Recipe
from ..recipes.packets import PacketFramer
from ..recipes.segments import SegmentFramer
from .clocks import is_date
from .outcome import MESSAGES, SourceOutcome, SourceRequest, reader_version

_OUTCOME = "source.json"


@dataclass(frozen=True, slots=True, eq=False)
class ReadSource:
    """A recording that was read: its frames by its own clock, a lane an interface, and what came out."""

    capture: Capture
    outcome: SourceOutcome


def read_source(request: SourceRequest, folder: Path, progress: Progress | None = None) -> ReadSource:
    """Read a recording into a folder, or open what was read into it before.

    A recording that cannot be read is told in its outcome; it has no frames then.

    Raises
    ------
    CaptureStoreError
        If its frames cannot be stored.
    Cancelled
        If the progress was cancelled; nothing is left behind.
    """
    known = _opened(folder, request.path)
    if known is not None:
        return known
    outcome = SourceOutcome(request.path, ReadReport("unknown"))
    waves = folder.with_name(f"{folder.name}.lines")
    with CaptureWriter(folder / "frames") as writer:
        sink = _Sink(writer, outcome)
        try:
            _read(request, sink, waves, outcome, progress or Progress())
        except CaptureStoreError:
            raise
        except AbacusError as failure:
            # what was readable before it stays
            outcome.error = str(failure)
            outcome.may_pass = _comes_from_outside(failure)
            outcome.recipe = ""
        finally:
            shutil.rmtree(waves, ignore_errors=True)
        frames = writer.finish(sink.lanes)
    outcome.interfaces = [lane.name for lane in frames.lanes]
    if outcome.date_ns is None and outcome.holds == "frames" and is_date(outcome.own_first_ns):
        outcome.date_ns = 0
    # escapes in ASCII: names of files may hold bytes that are no text, and errors name files
    (folder / _OUTCOME).write_text(json.dumps(msgspec.to_builtins(outcome, enc_hook=str)))
    return ReadSource(frames, outcome)


def _opened(folder: Path, path: Path) -> ReadSource | None:
    try:
        plain = json.loads((folder / _OUTCOME).read_text())
        outcome = msgspec.convert(plain, SourceOutcome, dec_hook=lambda _kind, value: Path(value))
        found = ReadSource(open_capture(folder / "frames"), outcome)
    except (OSError, ValueError, msgspec.ValidationError, CaptureStoreError):
        return None  # missing or damaged: it is read again
    if outcome.error and (outcome.may_pass or outcome.path != path or outcome.read_by != reader_version()):
        return None  # what was wrong may be right now, or names the file where it was
    outcome.path = path
    return found


def _comes_from_outside(failure: BaseException | None) -> bool:
    """Return whether the system refused something, rather than the file being what it is."""
    while failure is not None:
        if isinstance(failure, OSError):
            return True
        failure = failure.__cause__
    return False


class _Sink:
    """Takes frames of a recording, and numbers its interfaces."""

    def __init__(self, writer: CaptureWriter, outcome: SourceOutcome) -> None:
        self._writer = writer
        self._outcome = outcome
        self._made: dict[str, Lane] = {}
        self.bit_rates: dict[str, int] = {}

    @property
    def lanes(self) -> list[Lane]:
        """A lane an interface, in the order in which they were met."""
        return [dataclasses.replace(one, bit_rate=self.bit_rates.get(name)) for name, one in self._made.items()]

    def put(self, chunk: FrameTable, interfaces: Sequence[str], protocol: str, note: str) -> None:
        """Write frames whose lanes count in ``interfaces``."""
        for name in interfaces:
            self._made.setdefault(name, Lane(name, protocol, note))
        if not len(chunk):
            return
        known = list(self._made)
        numbers = np.array([known.index(name) for name in interfaces], np.uint16)
        self._outcome.cover(int(chunk.time_ns.min()), int(chunk.time_ns.max()))
        self._writer.append(dataclasses.replace(chunk, lane=numbers[chunk.lane]))


def _read(request: SourceRequest, sink: _Sink, waves: Path, outcome: SourceOutcome, progress: Progress) -> None:
    form = request.form or recognise(request.path)
    outcome.report.format_name = form or "unknown"
    if form == REFERENCE:
        outcome.holds = "reference"
        _read_reference(request, outcome, progress)
    elif form in {one.name for one in line_formats()}:
        outcome.holds = "lines"
        _read_waves(request, form, sink, waves, outcome, progress)
    else:
        outcome.holds = "frames"
        _read_frames(request, form, sink, outcome, progress)


def _columns(request: SourceRequest):  # type: ignore[no-untyped-def]
    return request.recipe.columns if request.recipe is not None else None


def _read_reference(request: SourceRequest, outcome: SourceOutcome, progress: Progress) -> None:
    reference = read_reference(request.path, _columns(request), progress)
    outcome.report = reference.report
    outcome.cover(int(reference.time_ns[0]), int(reference.time_ns[-1]))
    outcome.date_ns = 0 if is_date(outcome.own_first_ns) else None
    outcome.report.frames = 0
    outcome.samples = len(reference.time_ns)
    outcome.facts = [*reference.report.facts, ("values", ", ".join(reference.values))]


def _read_waves(
    request: SourceRequest, form: str, sink: _Sink, waves: Path, outcome: SourceOutcome, progress: Progress
) -> None:
    half = Progress(lambda share, note: progress.step(share / 2, note))
    recording, outcome.report = read_lines(request.path, waves, form, _columns(request), half)
    outcome.samples = sum(channel.count for channel in recording.channels)
    outcome.counted = " and ".join(
        word for word, some in (("samples", any(c.samples is not None for c in recording.channels)),
                                ("edges", any(c.edges is not None for c in recording.channels))) if some
    )  # fmt: skip
    outcome.facts = [*outcome.report.facts, *recording.facts]
    outcome.date_ns = recording.zero_ns
    outcome.cover(*recording.span_ns)
    if request.recipe is None:
        return
    if request.recipe.line is None:
        outcome.silent_recipe = request.recipe.name
        return
    rest = Progress(lambda share, note: progress.step(0.5 + share / 2, note))
    from ..recipes.run import run_recipe  # a recording of frames has no lines to wait for

    made = run_recipe(request.recipe, recording, None, rest)
    outcome.recipe = request.recipe.name
    outcome.facts += [(fact.name, fact.words) for fact in made.result.facts]
    outcome.report.frames = len(made.result.frames)
    sink.put(made.result.frames, [""], request.recipe.protocol, request.recipe.lane_note)
    rate = made.result.bit_rate
    if rate is not None:
        sink.bit_rates[""] = rate


def _read_frames(request: SourceRequest, form: str, sink: _Sink, outcome: SourceOutcome, progress: Progress) -> None:
    recipe = request.recipe
    outcome.report = report = ReadReport(form or "unknown")
    note = recipe.lane_note if recipe is not None else ""
    found: list[str] = []
    framer: SegmentFramer | DeviceFramer | None = None
    messages = None
    if recipe is not None and recipe.framing is not None and framing_of(recipe.framing).takes == TAKES:
        spoken, note = recipe.protocol, ""
        messages = MessageFramer(
            recipe, lambda made: sink.put(made, [name + MESSAGES for name in found], spoken, recipe.lane_note)
        )
    network = _Network(request, lambda frames, spoken, said: sink.put(frames, found, spoken, said))
    beginning = FirstPieces()

    def take(chunk: FrameTable, names: Sequence[str]) -> None:
        nonlocal framer
        found[:] = names
        protocol = request.protocol or ("serial" if report.holds_bytes else "can")
        if framer is not None:
            framer.add(chunk)
        elif messages is not None:
            sink.put(chunk, found, protocol, note)
            messages.add(chunk)
        elif network.takes(chunk):
            # an interface of each kind in one file: what is no packet goes its own way
            others = network.add(chunk)
            sink.put(others, found if len(others) else [], protocol, "")
        elif recipe is not None and recipe.framing is not None:
            # only now it is known that these are no packets
            framer = _framer(
                recipe, lambda made: sink.put(made, found, recipe.protocol or protocol, recipe.lane_note),
                report.byte_ns,
            )  # fmt: skip
            framer.add(chunk)
        else:
            sink.put(chunk, found, protocol, note)
            if report.holds_bytes:
                beginning.add(chunk)

    with Behind(take) as behind:
        # what is read is put away while the next piece is taken apart; names come to the list as they are met
        read_recording(
            request.path, lambda chunk, names: behind(chunk, tuple(names)), progress, name=form,
            columns=_columns(request), report=report,
        )  # fmt: skip
    sink.bit_rates |= outcome.report.bit_rates
    if recipe is not None:
        outcome.recipe = recipe.name
    if messages is not None:
        messages.finish()
        outcome.facts = [("messages", f"{messages.messages} put together")]
    if framer is not None:
        framer.finish()
        outcome.report.frames = framer.frames
    elif network.is_used:
        outcome.facts = network.finish()
        outcome.report.frames = network.frames
    outcome.facts = [*outcome.report.facts, *outcome.facts]
    outcome.looks_like, outcome.looks_why = beginning.looks_like(request.path, report)


def _framer(
    recipe: Recipe, put: Callable[[FrameTable], None], byte_ns: int | None
) -> SegmentFramer | DeviceFramer:  # fmt: skip
    """Return what frames a recording batch by batch; raises MisuseError if the recipe is for something else."""
    assert recipe.framing is not None
    is_of_bytes = framing_of(recipe.framing).takes == "bytes"
    return SegmentFramer(recipe, put, byte_ns=byte_ns) if is_of_bytes else DeviceFramer(recipe, put)


class _Network:
    """Packets of a recording, if it holds any.

    Parameters
    ----------
    put
        Takes frames, what their lane speaks, and a note on it.
    """

    def __init__(self, request: SourceRequest, put: Callable[[FrameTable, str, str], None]) -> None:
        recipe = request.recipe
        # telegrams cut out of the streams of a network keep its addresses: the port and the connection
        is_own = recipe is not None and recipe.framing is not None and not recipe.takes_bytes
        spoken = recipe.protocol if recipe is not None and is_own else ""
        note = recipe.lane_note if recipe is not None else "packets"
        self._recipe = recipe
        self._put = lambda frames: put(frames, spoken or "network", note)
        self._framer: PacketFramer | None = None

    @property
    def is_used(self) -> bool:
        return self._framer is not None

    @property
    def frames(self) -> int:
        return self._framer.frames if self._framer is not None else 0

    def takes(self, chunk: FrameTable) -> bool:
        """Whether there are packets in it."""
        return bool((chunk.flags & F.PACKET > 0).any())

    def add(self, chunk: FrameTable) -> FrameTable:
        """Take the packets of a chunk, and return the rest of it."""
        if self._framer is None:
            self._framer = PacketFramer(self._recipe, self._put)
        packets = chunk.flags & F.PACKET > 0
        self._framer.add(chunk if packets.all() else chunk.chosen(packets).compact())
        return chunk.chosen(~packets)

    def finish(self) -> list[tuple[str, str]]:
        """Hand on what is left, and return what was counted."""
        assert self._framer is not None
        self._framer.finish()
        return [(fact.name, fact.words) for fact in self._framer.facts()]


class _EnoughError(Exception):
    """Ends reading where no more is wanted."""


def frames_of_source(
    request: SourceRequest, progress: Progress | None = None, most: int | None = None
) -> tuple[FrameTable, ReadReport]:
    """Return a recording of frames as it was recorded, before any recipe: for proposals and previews.

    Parameters
    ----------
    most
        About so many frames of its beginning; None is all.

    Raises
    ------
    CaptureReadError
        If it holds no frames or cannot be read.
    """
    chunks: list[FrameTable] = []
    form = request.form or recognise(request.path)
    report = ReadReport(form)

    def take(chunk: FrameTable, _names: Sequence[str]) -> None:
        chunks.append(chunk)
        if most is not None and report.frames >= most:
            raise _EnoughError

    with contextlib.suppress(_EnoughError):
        read_recording(request.path, take, progress, name=form, columns=_columns(request), report=report)
    if not chunks:
        raise CaptureReadError("there are no frames.", where=str(request.path))
    return FrameTable.joined(chunks), report
