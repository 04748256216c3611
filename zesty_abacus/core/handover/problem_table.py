"""Problems as a table, in the order in which to read them."""

from __future__ import annotations

from collections.abc import Sequence

import pyarrow as pa

from ..frames.flags import flag_words
from ..problems.problem import Problem
from .columns import TEXT

PROBLEM_SCHEMA = pa.schema(
    [
        ("kind", TEXT),
        ("lane", TEXT),
        ("address", pa.int64()),
        ("flags", TEXT),
        ("message", TEXT),
        ("field", TEXT),
        ("count", pa.int64()),
        ("first_ns", pa.int64()),
        ("worst_ns", pa.int64()),
        ("worst", pa.float64()),
        ("reason", TEXT),
    ]
)


def problem_table(problems: Sequence[Problem]) -> pa.Table:
    """Return problems as a table of :data:`PROBLEM_SCHEMA`; address and flags are empty where a lane is meant."""
    columns = {
        "kind": [one.kind.value for one in problems],
        "flags": ["" if one.flags is None else flag_words(one.flags) for one in problems],
    }
    for name in ("lane", "address", "message", "field", "count", "first_ns", "worst_ns", "worst", "reason"):
        columns[name] = [getattr(one, name) for one in problems]
    return pa.table({field.name: pa.array(columns[field.name], field.type) for field in PROBLEM_SCHEMA})
