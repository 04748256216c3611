"""What was counted is kept beside a trial, and believed only where everything it stands on is as it was."""

from uuid import uuid4

import msgspec
import numpy as np
import pytest

from tests.reading.test_explained import COUNTING, layout_of, tie_to
from zesty_abacus.core.frames.activity import capture_activity
from zesty_abacus.core.layouts.model import Applies, Carried, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.reading.explained import explain
from zesty_abacus.core.reading.kept import keep_explained, kept_explained, means_in_words
from zesty_abacus.core.reading.meaning import Meaning

INNER = new_layout("inner", Applies(address=9), 1, [new_field("v", at("B0"))])
CARRYING = layout_of(size=0, parts=(Carried(id=uuid4(), name="c", layout=INNER.id),))
PLAIN = layout_of(new_field("v", at("B0")))


def counted(*layouts, ties=()):
    meaning = Meaning.of(COUNTING, layouts, ties)
    return meaning, explain(meaning, capture_activity(COUNTING))


def kept_after(tmp_path, before, after):
    """Keep what was counted by some layouts, and return what of it holds by others."""
    keep_explained(tmp_path / "kept", *before[:1], "state", before[1])
    return kept_explained(tmp_path / "kept", after[0], "state")


def test_what_is_kept_is_what_was_counted_and_is_not_counted_again(tmp_path, monkeypatch):
    meaning, made = counted(PLAIN)
    again, _ = counted(PLAIN)
    kept = kept_after(tmp_path, (meaning, made), (again, None))
    assert [one.explained for one in kept] == [one.explained for one in made]
    assert (np.concatenate([one.owners for one in kept]) == np.concatenate([one.owners for one in made])).all()
    assert kept[0].owners.dtype == np.int16
    monkeypatch.setattr("zesty_abacus.core.reading.explained.explain_kind", None)
    assert explain(again, capture_activity(COUNTING), kept) == kept


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ([PLAIN], [msgspec.structs.replace(PLAIN, fields=(new_field("v", at("B0 B1")),))]),
        ([PLAIN], []),
        ([], [PLAIN]),
        ([CARRYING, INNER], [CARRYING, msgspec.structs.replace(INNER, fields=(new_field("v", at("B0[3..0]")),))]),
        ([CARRYING, INNER], [CARRYING]),
        ([CARRYING], [CARRYING, INNER]),
    ],
    ids=["edited", "gone", "new", "what it carries edited", "what it carries gone", "what it carries there"],
)
def test_a_kind_that_means_something_else_is_counted_again(tmp_path, before, after):
    first, (meaning, wanted) = counted(*before), counted(*after)
    kept = kept_after(tmp_path, first, (meaning, wanted))
    assert kept[0].meaning is not meaning.kinds[0]
    assert [one.explained for one in explain(meaning, capture_activity(COUNTING), kept)] == [
        one.explained for one in wanted
    ]


def test_a_tie_by_hand_is_another_meaning(tmp_path):
    tied = layout_of(new_field("w", at("B1")), address=0x300)
    first, (meaning, wanted) = counted(PLAIN, tied), counted(PLAIN, tied, ties=tie_to(tied))
    kept = kept_after(tmp_path, first, (meaning, wanted))
    assert explain(meaning, capture_activity(COUNTING), kept)[0].explained == wanted[0].explained


def test_what_a_reference_bore_out_is_kept_with_it(tmp_path):
    meaning = Meaning.of(COUNTING, [PLAIN])
    borne_out = frozenset(field.id for field in PLAIN.fields)
    made = explain(meaning, capture_activity(COUNTING), borne_out=borne_out)
    assert made[0].explained.proved == 8
    keep_explained(tmp_path / "kept", meaning, "state", made)
    kept = kept_explained(tmp_path / "kept", meaning, "state")
    assert explain(meaning, capture_activity(COUNTING), kept, borne_out=borne_out) == kept
    assert explain(meaning, capture_activity(COUNTING), kept)[0].explained.proved == 0, "without it, it is not proved"


def test_an_edit_looks_again_at_the_kinds_it_touches_only(monkeypatch):
    meaning, _ = counted(PLAIN)
    assert means_in_words(meaning, 0)
    monkeypatch.setattr("zesty_abacus.core.reading.kept.layout_to_json", None)
    elsewhere = meaning.changed({INNER.id: INNER})
    assert means_in_words(elsewhere, 0) == means_in_words(meaning, 0)
    with pytest.raises(TypeError):
        means_in_words(meaning.changed({PLAIN.id: msgspec.structs.replace(PLAIN, note="other")}), 0)


@pytest.mark.parametrize("data", [b"", b"\x93", b"[1]", bytes(range(200))])
def test_whatever_lies_there_it_is_as_if_nothing_did(tmp_path, data):
    (tmp_path / "kept").write_bytes(data)
    assert kept_explained(tmp_path / "kept", counted(PLAIN)[0], "state") == []
    assert kept_explained(tmp_path / "none", counted(PLAIN)[0], "state") == []


def test_other_recordings_are_counted(tmp_path):
    meaning, made = counted(PLAIN)
    keep_explained(tmp_path / "kept", meaning, "one state", made)
    assert kept_explained(tmp_path / "kept", meaning, "another") == []
