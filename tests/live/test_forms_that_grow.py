"""Recording takes the forms that grow; another one is refused before a file is made."""

from __future__ import annotations

import pytest

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.files.writing import Target
from zesty_abacus.core.handover.writers import WRITERS
from zesty_abacus.core.live.sinks import open_sink


@pytest.mark.parametrize("form", sorted(WRITERS))
def test_what_cannot_grow_is_refused_and_leaves_no_file(form, tmp_path):
    path = tmp_path / f"log.{form}"
    if form in ("csv", "jsonl", "parquet"):
        open_sink(Target(path, False), []).close()
        assert path.exists()
        return
    with pytest.raises(MisuseError, match=f"nothing is recorded as .{form}"):
        open_sink(Target(path, False), [])
    assert not path.exists()
