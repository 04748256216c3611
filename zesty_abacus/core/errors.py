"""The error root of the program and its two branches.

    AbacusError
    ├── MisuseError      the caller asked for something that has no meaning
    └── DataError        the input, file or state does not allow what was asked

Every error says in one sentence what is wrong and where; ``hint`` says what to do about it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Self

_MOST_TOLD = 40


class AbacusError(Exception):
    """Root of all errors raised by this program.

    Parameters
    ----------
    message
        One sentence: what is wrong, with the value that is wrong.
    where
        A path to the place, such as ``"trial.log, line 12"`` or ``"Azimuth feedback, field rate"``.
    hint
        What the reader can do.
    details
        Where several things are wrong: each of them, a line.
    """

    def __init__(self, message: str, *, where: str = "", hint: str = "", details: Sequence[str] = ()) -> None:
        super().__init__(message, where, hint, details)
        self.message = message
        self.where = where
        self.hint = hint
        self.details = tuple(details)

    @classmethod
    def of(cls, opening: str, wrong: Sequence[str], *, where: str = "", hint: str = "") -> Self:
        """Return an error of all that is wrong, one thing at least: told in the sentence, or in a line each."""
        if len(wrong) == 1:
            return cls(_ended(f"{opening}: {wrong[0]}"), where=where, hint=hint)
        more = [f"and {len(wrong) - _MOST_TOLD} more"] if len(wrong) > _MOST_TOLD else []
        message = f"{opening}, {len(wrong)} things are wrong."
        return cls(message, where=where, hint=hint, details=[*wrong[:_MOST_TOLD], *more])

    @property
    def sentence(self) -> str:
        """What is wrong, where, and what to do, without the details."""
        text = f"{self.where}: {self.message}" if self.where else self.message
        return f"{text} {self.hint}" if self.hint else text

    def __str__(self) -> str:
        return "\n  ".join((self.sentence, *self.details))


class MisuseError(AbacusError):
    """An argument that cannot mean anything, whatever the data are."""


class DataError(AbacusError):
    """A file, a message or a stored state that does not allow what was asked."""


def _ended(sentence: str) -> str:
    return sentence if sentence.endswith((".", "?")) else f"{sentence}."


def said_by_others(error: Exception) -> str:
    """Return what somebody else's code says is wrong, in brief and without its point, for a sentence of ours."""
    return str(error).split("\n")[0][:200].rstrip(".")
