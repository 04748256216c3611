"""Questions to every recording of an archive: frames in which a condition holds, problems, a summary."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from ..conditions.bind import Known, bind
from ..conditions.hits import find
from ..frames.activity import capture_activity
from ..handover.columns import TEXT
from ..handover.found_table import FOUND_SCHEMA, SINCE_SCHEMA, found_table
from ..handover.kind_words import kind_words
from ..handover.problem_table import PROBLEM_SCHEMA, problem_table
from ..problems.look import look_for_problems
from ..reading.explained import Explained, explain
from ..reading.meaning import Meaning
from .task import Failed, Task, opened

SUMMARY_SCHEMA = pa.schema([
    ("recording", TEXT), ("lane", TEXT), ("where", TEXT), ("message", TEXT), ("field", TEXT), ("unit", TEXT),
    ("frames", pa.int64()), ("moving", pa.int64()), ("claimed", pa.float64()), ("proved", pa.float64()),
    ("low", pa.float64()), ("first_quartile", pa.float64()), ("median", pa.float64()),
    ("third_quartile", pa.float64()), ("high", pa.float64()),
])  # fmt: skip
"""A row a kind of messages, with its bits, and a row a field of numbers, with what its good values are like."""


@dataclass(frozen=True, slots=True)
class Answer:
    """What a recording answers: rows of a table."""

    path: str
    table: pa.Table


@dataclass(frozen=True, slots=True)
class Question:
    """A question to one recording; ``condition`` of those that have one."""

    task: Task
    kind: str
    condition: str = ""


def schema_of(kind: str, condition: str = "") -> pa.Schema:
    """Return the columns of the answers to a question: those of the command for one recording, and which it is."""
    if kind == "summary":
        return SUMMARY_SCHEMA
    # a condition's own word for looking back; whether it is one is told when it is bound
    found = SINCE_SCHEMA if " then " in f" {condition} " else FOUND_SCHEMA
    return pa.schema([*(found if kind == "find" else PROBLEM_SCHEMA), ("recording", TEXT)])


def ask(question: Question) -> Answer | Failed:
    """Answer a question of one recording; in whatever process."""
    try:
        with opened(question.task) as meaning:
            table = _ANSWERS[question.kind](meaning, question)
    except Exception as error:
        # one bad recording must not stop a thousand others, whatever is wrong with it
        return Failed(question.task.path, str(error) or type(error).__name__)
    return Answer(question.task.path, table)


def _hits(meaning: Meaning, question: Question) -> pa.Table:
    known = Known([lane.name for lane in meaning.capture.lanes], meaning.layouts.values(), ())
    hits = find(meaning, bind(question.condition, known))
    schema = FOUND_SCHEMA if hits.since_ns is None else SINCE_SCHEMA
    tables = [table for block in found_table(meaning, hits.rows, hits.since_ns) for table in block.tables()]
    return _told(pa.concat_tables(tables) if tables else schema.empty_table(), question)


def _problems(meaning: Meaning, question: Question) -> pa.Table:
    return _told(problem_table(look_for_problems(meaning).problems), question)


def _told(table: pa.Table, question: Question) -> pa.Table:
    names = pa.array([question.task.path] * table.num_rows, TEXT)
    return table.append_column(pa.field("recording", TEXT), names)


def _summary(meaning: Meaning, question: Question) -> pa.Table:
    capture = meaning.capture
    explained = explain(meaning, capture_activity(capture))
    rows: list[dict[str, object]] = []
    for kind, key in enumerate(capture.kinds.keys):
        bits: Explained = explained[kind].explained
        row = {
            "recording": question.task.path, "lane": capture.lanes[key.lane].name, "where": kind_words(capture, kind),
            "message": ", ".join(reader.layout.name for reader in meaning.kinds[kind].readers),
            "frames": capture.kinds.count(kind), "moving": bits.moving, "claimed": bits.claimed, "proved": bits.proved,
        }  # fmt: skip
        rows.append(row)
        rows += [{**row, **told} for told in distributions(meaning, kind)]
    return pa.Table.from_pylist(rows, SUMMARY_SCHEMA)


def distributions(meaning: Meaning, kind: int) -> list[dict[str, object]]:
    """Return what good values of each field are like."""
    capture = meaning.capture
    if not meaning.kinds[kind].readers:
        return []
    frames = capture.frames.gather(capture.order_of_kind(kind).rows())
    made: list[dict[str, object]] = []
    for reader, _mine, decoded in meaning.decoded(kind, frames):
        for column in decoded.columns.values():
            values = column.plot_values()
            good = values[np.isfinite(values)]
            if len(good):
                names = ("low", "first_quartile", "median", "third_quartile", "high")
                figures = np.quantile(good, (0, 0.25, 0.5, 0.75, 1)).tolist()
                made.append({"message": reader.layout.name, "field": column.field.name, "unit": column.field.unit,
                             **dict(zip(names, figures, strict=True))})  # fmt: skip
    return made


_ANSWERS: dict[str, Callable[[Meaning, Question], pa.Table]] = {
    "find": _hits, "problems": _problems, "summary": _summary
}  # fmt: skip
