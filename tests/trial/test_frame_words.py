"""Frames of a recipe that is tried, in words: a library is matched once for frames of one sort, whatever each holds."""

import numpy as np

from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.applies import Applies
from zesty_abacus.core.layouts.model import FieldKind, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.lines.result import LineResult, Marks
from zesty_abacus.core.links.telegrams import GapFraming
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.recipes.model import new_recipe
from zesty_abacus.core.recipes.run import Outcome
from zesty_abacus.core.trial import frame_words
from zesty_abacus.core.trial.frame_words import FrameReader

PAYLOADS = [b"\x01\x05", b"\x02\x06", b"\x01\x07\x00", b"\x03\x08", b"\x02\x09", b""]


def outcome_of(payloads):
    sizes = np.array([len(one) for one in payloads], np.uint32)
    count = len(payloads)
    table = FrameTable(
        np.arange(count) * 1000, np.zeros(count, np.uint16), np.zeros(count, np.int64), np.zeros(count, np.uint32),
        np.cumsum(sizes, dtype=np.int64) - sizes, sizes, np.frombuffer(b"".join(payloads), np.uint8),
    )  # fmt: skip
    recipe = new_recipe("deck", framing=GapFraming(gap_us=1000.0), lane="deck")
    return Outcome(recipe, {}, LineResult(table, table.time_ns, Marks.none()), (0, count * 1000))


def layout_for(first, name, protocol):
    field = new_field(name, parse_places("B1"), FieldKind.UNSIGNED)
    applies = Applies(address=0, protocol=protocol, pattern=f"{first:02X}")
    return new_layout(name, applies, 2).with_field(field)


def test_every_frame_is_said_by_its_own_bytes_and_the_library_is_matched_once_a_sort(monkeypatch):
    outcome = outcome_of(PAYLOADS)
    layouts = [layout_for(1, "lift", outcome.recipe.protocol), layout_for(2, "turn", outcome.recipe.protocol)]
    matched = []
    real = Meaning.of.__func__
    monkeypatch.setattr(
        frame_words.Meaning, "of", classmethod(lambda cls, *given: matched.append(given) or real(cls, *given))
    )
    reader = FrameReader(outcome, layouts)
    said = [reader.words(row).says for row in range(len(PAYLOADS))]
    assert ["lift 5" in said[0], "turn 6" in said[1], "lift 7" in said[2], "turn 9" in said[4]] == [True] * 4, said
    assert said[3] == said[5] == "", "one begins like neither, one holds nothing"
    assert len(matched) == 2, "frames of two bytes, and of three"
    alone = [FrameReader(outcome_of([one]), layouts).words(0).says for one in PAYLOADS]
    assert said == alone
