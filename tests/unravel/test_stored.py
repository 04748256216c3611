"""Findings that are kept are believed only while their kinds are read as they were."""

import msgspec
import pytest

from tests.reading.test_kept import CARRYING, INNER, PLAIN, counted
from zesty_abacus.core.layouts.model import new_field
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.unravel.stored import store, stored

OTHER_INNER = msgspec.structs.replace(INNER, fields=(new_field("v", at("B0[3..0]")),))


@pytest.mark.parametrize(
    ("before", "after", "holds"),
    [
        ([CARRYING, INNER], [CARRYING, INNER], True),
        ([CARRYING, INNER], [CARRYING, OTHER_INNER], False),
        ([CARRYING, INNER], [CARRYING], False),
        ([PLAIN], [PLAIN, INNER], True),
        ([PLAIN], [], False),
    ],
)
def test_findings_hold_while_everything_that_reads_a_kind_is_the_same(tmp_path, before, after, holds):
    store(tmp_path / "f.json", counted(*before)[0], "state", {0: ()})
    assert stored(tmp_path / "f.json", counted(*after)[0], "state") == ({0: ()} if holds else None)
    assert stored(tmp_path / "f.json", counted(*before)[0], "another state") is None
