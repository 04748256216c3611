"""The error root of the program and its two branches.

    AbacusError
    ├── MisuseError      the caller asked for something that has no meaning
    └── DataError        the input, file or state does not allow what was asked

Every error says in one sentence what is wrong and where; ``hint`` says what to do about it.
"""

from __future__ import annotations


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
    """

    def __init__(self, message: str, *, where: str = "", hint: str = "") -> None:
        super().__init__(message, where, hint)
        self.message = message
        self.where = where
        self.hint = hint

    def __str__(self) -> str:
        text = f"{self.where}: {self.message}" if self.where else self.message
        return f"{text} {self.hint}" if self.hint else text


class MisuseError(AbacusError):
    """An argument that cannot mean anything, whatever the data are."""


class DataError(AbacusError):
    """A file, a message or a stored state that does not allow what was asked."""
