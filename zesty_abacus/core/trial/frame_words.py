"""What came out of a recipe that is tried: a frame in words, and what the registers of a device held."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..codec.wording import frame_sentence
from ..errors import AbacusError
from ..frames.capture import Capture, Lane
from ..frames.flags import EXCEPTION, TELLS_KINDS_APART, wrong_words
from ..frames.kind_key import KindKey
from ..frames.table import FrameTable
from ..layouts.model import Layout
from ..links.registers import RegisterFraming, RegisterState, register_state
from ..protocols.registry import protocol_named
from ..reading.meaning import Meaning
from ..recipes.model import Recipe
from ..recipes.run import Outcome


@dataclass(frozen=True, slots=True)
class FrameWords:
    """A frame that came out, in words."""

    address: str
    says: str
    problem: str
    payload: bytes


class FrameReader:
    """Says the frames of an outcome in words, each when it is asked for.

    Parameters
    ----------
    layouts
        All of the library.
    """

    def __init__(self, outcome: Outcome, layouts: Sequence[Layout]) -> None:
        self._outcome = outcome
        self._layouts = layouts
        self._meanings: dict[tuple[KindKey, int], Meaning] = {}

    def words(self, row: int) -> FrameWords:
        """Return what a frame is, says by the library's layouts, and what is wrong with it."""
        table, recipe = self._outcome.result.frames, self._outcome.recipe
        flags = int(table.flags[row])
        key = KindKey(0, int(table.address[row]), flags & TELLS_KINDS_APART)
        payload = table.payload_of(row)
        problem = wrong_words(flags)
        spoken = protocol_named(recipe.protocol)
        if flags & EXCEPTION:
            problem = spoken.refusal_text(payload) or problem
        return FrameWords(spoken.kind_text(key), self._sentence(key, payload), problem, payload)

    def _sentence(self, key: KindKey, payload: bytes) -> str:
        if not payload:
            return ""
        meaning = self._meaning(key, _capture_of(self._outcome.recipe, key, payload))
        try:
            frames = meaning.capture.kind_frames(0)
            decoded = next((found for _, _, found in meaning.decoded(0, frames)), None)
        except AbacusError:
            return ""
        return frame_sentence(decoded, 0) if decoded is not None else ""

    def _meaning(self, key: KindKey, capture: Capture) -> Meaning:
        """Return what a capture of one frame means; a whole library is matched once a kind, not once a frame."""
        # what a register map shows depends on how much an exchange carries, too
        sort = key, capture.kind_size(0)
        known = self._meanings.get(sort)
        if known is None:
            known = self._meanings[sort] = Meaning.of(capture, self._layouts)
        return known.moved_to(capture)


def _capture_of(recipe: Recipe, key: KindKey, payload: bytes) -> Capture:
    one = FrameTable(
        np.zeros(1, np.int64), np.zeros(1, np.uint16), np.array([key.address]), np.array([key.flags], np.uint32),
        np.zeros(1, np.int64), np.array([len(payload)], np.uint32), np.frombuffer(payload, np.uint8),
    )  # fmt: skip
    return Capture.from_table(one, (Lane(recipe.lane, recipe.protocol),))


def capture_of_outcome(outcome: Outcome, lane: str, zero_ns: int) -> Capture:
    """Return all that came out as a capture of one lane, its rows in the order of the outcome.

    Parameters
    ----------
    zero_ns
        Where the recording's own zero lies on the capture's clock.
    """
    table = outcome.result.frames
    moved = replace(table, time_ns=table.time_ns + zero_ns, lane=np.zeros(len(table), np.uint16))
    return Capture.from_table(moved, (Lane(lane or outcome.recipe.lane, outcome.recipe.protocol),))


def registers_at(outcome: Outcome, device: int, time_ns: int) -> RegisterState:
    """Return what the registers of a device held at a time of the recording's own clock."""
    framing = outcome.recipe.framing
    last = framing.last_register if isinstance(framing, RegisterFraming) else None
    return register_state(outcome.result.frames, device, time_ns, (last or 0xFF) + 1)
