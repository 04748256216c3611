"""What was counted of explained bits, kept beside a trial: of a kind that means the same it is there the next time."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from pathlib import Path
from uuid import UUID

import msgspec
import numpy as np

from ..codec.carried import CarriedError, with_carried
from ..errors import AbacusError
from ..files.reading import read_file
from ..files.writing import keep_file
from ..frames.kind_key import KindKey
from ..layouts.json_form import layout_to_json
from .explained import Explained, KindExplained
from .meaning import Meaning
from .readers import KindMeaning, Reader

_FORM = 1
"""Counts with how bits are counted: what an older program counted is counted again."""
_MOST_BYTES = 1 << 28
_NOT_COUNTED = KindExplained(KindMeaning(), Explained(-1), np.empty(0, np.int16))
"""Of a kind of which nothing is kept; no kind has so many bits."""


class _Kind(msgspec.Struct, frozen=True, array_like=True):
    lane: str
    address: int
    flags: int
    meant: str
    moving: int
    claimed: float
    proved: float
    owners: bytes
    borne_out: tuple[UUID, ...]


class _File(msgspec.Struct, frozen=True, array_like=True):
    form: int
    state: str
    kinds: tuple[_Kind, ...]


def means_in_words(meaning: Meaning, kind: int) -> str:
    """Return a text that is another one whenever a kind may be read otherwise, also by a layout that is carried."""
    means = meaning.kinds[kind]
    if means.in_short is None:
        # an edit makes other meanings of the kinds it touches; of all others it is known
        means.in_short = _in_short(meaning, kind)
    return means.in_short


def _in_short(meaning: Meaning, kind: int) -> str:
    readers = meaning.kinds[kind].readers
    if not readers:
        return ""
    made = hashlib.sha256()
    asked = [*readers, *(meaning.without_ties(kind).readers if any(one.is_tied for one in readers) else ())]
    for reader in asked:
        made.update(f"{reader.is_tied} {reader.choice.words()}\n".encode())
        made.update(_as_json(meaning, reader))
    return made.hexdigest()


def _as_json(meaning: Meaning, reader: Reader) -> bytes:
    try:
        return layout_to_json(with_carried(reader.shown, meaning.layouts))
    except CarriedError as error:
        # one that cannot be read says so as long as what it carries is missing
        return layout_to_json(reader.shown) + str(error).encode()


def keep_explained(path: Path, meaning: Meaning, state: str, counted: Sequence[KindExplained]) -> None:
    """Write what was counted.

    Parameters
    ----------
    state
        Of the recordings: a text that is another one whenever what is read of them is.

    Raises
    ------
    AbacusError
        If it cannot be written.
    """
    kinds = tuple(
        _Kind(
            *_origin(meaning, key), means_in_words(meaning, kind), one.explained.moving, one.explained.claimed,
            one.explained.proved, one.owners.astype("<i2").tobytes(), tuple(sorted(one.borne_out)),
        )
        for kind, (key, one) in enumerate(zip(meaning.capture.kinds.keys, counted, strict=True))
        if one.meaning is meaning.kinds[kind]
    )  # fmt: skip
    keep_file(path, msgspec.msgpack.encode(_File(_FORM, state, kinds)))


def kept_explained(path: Path, meaning: Meaning, state: str) -> list[KindExplained]:
    """Return what was counted of the kinds that still mean the same, one a kind, as :func:`explain` takes it.

    Whatever is wrong with the file, it is as if there were none.
    """
    try:
        file = msgspec.msgpack.decode(read_file(path, _MOST_BYTES), type=_File)
    except (OSError, AbacusError, msgspec.DecodeError):
        return []
    if (file.form, file.state) != (_FORM, state):
        return []
    known = {(one.lane, one.address, one.flags): one for one in file.kinds}
    made = []
    for kind, key in enumerate(meaning.capture.kinds.keys):
        one = known.get(_origin(meaning, key))
        holds = one is not None and one.meant == means_in_words(meaning, kind)
        made.append(_counted(meaning, kind, one) if one is not None and holds else _NOT_COUNTED)
    return made


def _origin(meaning: Meaning, key: KindKey) -> tuple[str, int, int]:
    return meaning.capture.lanes[key.lane].name, key.address, key.flags


def _counted(meaning: Meaning, kind: int, one: _Kind) -> KindExplained:
    explained = Explained(one.moving, one.claimed, one.proved)
    owners = np.frombuffer(one.owners, "<i2").astype(np.int16)
    return KindExplained(meaning.kinds[kind], explained, owners, frozenset(one.borne_out))
