"""How the shelves of an open library reach its database."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import dataclass

import sqlalchemy as sa

from .damage import Damage
from .gates.base import Gate


@dataclass(frozen=True, slots=True)
class Access:
    """What every shelf of a library is given.

    Attributes
    ----------
    reading
        Gives a connection inside a transaction that looks.
    writing
        Gives one that changes some things, alone until it ends.
    gate
        The way into the tables.
    where
        The library, for errors.
    damage
        Hears of what cannot be read.
    """

    reading: Callable[[], AbstractContextManager[sa.Connection]]
    writing: Callable[..., AbstractContextManager[sa.Connection]]
    gate: Gate
    where: str
    damage: Damage
