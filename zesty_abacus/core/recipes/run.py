"""Runs a recipe: channels to edges, edges to bytes or bits, those to frames; all of it, or a part in view."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from ..errors import MisuseError
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.registry import decode_line, decoder_of
from ..lines.result import LineResult, Marks
from ..links.bursts import BurstFraming
from ..links.framing import Framing, framing_of
from ..links.over_can import TAKES
from ..links.pieces import bytes_of
from ..links.telegrams import GapFraming
from ..progress import Progress
from ..protocols import can
from ..waves.recording import LineRecording
from ..words import listed
from .devices import DeviceFramer
from .model import Recipe
from .packets import frames_of_packets
from .prepare import PreparedLine, prepare_line


@dataclass(frozen=True, slots=True, eq=False)
class Outcome:
    """What a recipe made of a recording.

    Attributes
    ----------
    recipe
    lines
        By channel.
    result
        Frames, marks, facts; times count from the recording's own zero.
    span_ns
        The part that was decoded.
    """

    recipe: Recipe
    lines: Mapping[str, PreparedLine]
    result: LineResult
    span_ns: tuple[int, int]

    def counts(self) -> dict[str, int]:
        """Return frames, bytes, and frames with each fault, by what it is called."""
        return result_counts(self.result)


def result_counts(result: LineResult) -> dict[str, int]:
    """Return frames, bytes, and frames with each fault, by what it is called."""
    flags = result.frames.flags
    counts = {"frames": len(result.frames), "bytes": int(result.frames.size.sum())}
    # bit by bit: a frame may have several faults, and counts for each
    for bit in (1 << n for n in range(32)):
        if bit & F.WRONG and (number := int((flags & bit > 0).sum())):
            counts[F.wrong_words(bit)] = number
    return counts


def run_recipe(
    recipe: Recipe,
    recording: LineRecording,
    span_ns: tuple[int, int] | None = None,
    progress: Progress | None = None,
    prepared: Mapping[str, PreparedLine] | None = None,
) -> Outcome:
    """Run a recipe on a recording of lines.

    Parameters
    ----------
    span_ns
        Only this part of it.
    prepared
        Lines whose setting did not change, from an earlier run on the same span.

    Raises
    ------
    MisuseError
        If the recipe has no line code, a channel is missing, or a framing does not suit the line.
    Cancelled
        If the progress was cancelled.
    """
    progress = progress or Progress()
    if recipe.line is None:
        raise MisuseError(
            "the recipe does not say what the wires speak.", where=recipe.name, hint="Choose a line code."
        )
    lines = {}
    names = recipe.channels()
    for number, name in enumerate(names):
        channel = recording.channel(name)
        if channel is None:
            known = listed([one.name for one in recording.channels], most=12)
            raise MisuseError(f"there is no channel {name!r} in the recording, which has {known}.", where=recipe.name)
        known_line = (prepared or {}).get(name)
        # finding levels takes longer than all that follows, and most changes of a recipe leave them alone
        if known_line is not None and known_line.asked == recipe.level(name):
            lines[name] = known_line
            continue
        part = progress.part(number / (len(names) + 1), (number + 1) / (len(names) + 1))
        lines[name] = prepare_line(channel, recipe.level(name), span_ns, part)
    progress.step(len(names) / (len(names) + 1), "decoding")
    edges = {name: line.edges for name, line in lines.items()}
    result = mark_unsure(framed(recipe, decode_line(recipe.line, edges)), edges.values())
    span = span_ns or recording.span_ns
    return Outcome(recipe, lines, result, span)


def framed(recipe: Recipe, result: LineResult) -> LineResult:
    """Apply the framing of a recipe, or the plainest one that suits.

    Raises
    ------
    MisuseError
        If the framing takes something else than the line gives.
    """
    gives = decoder_of(recipe.line).gives if recipe.line is not None else ""
    framing = framing_in_use(recipe)
    if framing is None:
        return result
    way = framing_of(framing)
    if gives and way.takes != gives and not _is_over_can(recipe):
        raise MisuseError(
            f"{way.name} takes {way.takes}, but {decoder_of(recipe.line).name} gives {gives}.",  # type: ignore[arg-type]
            where=recipe.name,
            hint="Choose another framing.",
        )
    return way.apply(framing, result)


def framing_in_use(recipe: Recipe) -> Framing | None:
    """Return the framing of a recipe; one that names none has the plainest that suits what its line gives, if any."""
    if recipe.framing is not None or recipe.line is None:
        return recipe.framing
    gives = decoder_of(recipe.line).gives
    return GapFraming() if gives == "bytes" else BurstFraming(vote=False) if gives == "bits" else None


def _is_over_can(recipe: Recipe) -> bool:
    """Return whether messages are put together of frames that a CAN line gives."""
    spoken = decoder_of(recipe.line).protocol if recipe.line is not None else can.NAME
    return recipe.framing is not None and framing_of(recipe.framing).takes == TAKES and spoken == can.NAME


def run_on_frames(
    recipe: Recipe | None, table: FrameTable, byte_ns: int | None = None
) -> tuple[FrameTable, tuple]:  # fmt: skip
    """Run a recipe on frames as they were recorded: bytes become telegrams, packets the units of their link.

    Parameters
    ----------
    byte_ns
        How long a byte takes in its piece, None where nobody says.

    Returns
    -------
    frames
    facts
        What was counted on the way.

    Raises
    ------
    MisuseError
        If the recipe asks for waves.
    """
    if recipe is not None and recipe.line is not None:
        raise MisuseError("the recipe is for waves, and this recording holds frames.", where=recipe.name)
    if len(table) and bool((table.flags & F.PACKET > 0).all()):
        return frames_of_packets(recipe, table)
    if recipe is None or recipe.framing is None:
        return table, ()
    way = framing_of(recipe.framing)
    if way.takes == TAKES:
        result = LineResult(table, table.time_ns, Marks.none())
        return way.apply(recipe.framing, result).frames, ()
    if way.takes == "frames":
        made: list[FrameTable] = []
        framer = DeviceFramer(recipe, made.append)
        framer.add(table)
        framer.finish()
        return made[0], ()
    if way.takes != "bytes":
        raise MisuseError(f"{way.name} takes {way.takes}, and this recording holds bytes.", where=recipe.name)
    return way.apply(recipe.framing, bytes_of(table, byte_ns)).frames, ()


def mark_unsure(result: LineResult, lines) -> LineResult:  # type: ignore[no-untyped-def]
    """Flag frames in which the recording does not know the level of a line."""
    spans = [line.unknown for line in lines if len(line.unknown)]
    if not spans or not len(result.frames):
        return result
    frames = result.frames
    unsure = np.zeros(len(frames), np.bool_)
    for begin, end in np.concatenate(spans):
        unsure |= (frames.time_ns < end) & (result.ends_ns > begin)
    flags = frames.flags | np.where(unsure, F.UNSURE_LEVEL, 0).astype(np.uint32)
    return replace(result, frames=replace(frames, flags=flags))
