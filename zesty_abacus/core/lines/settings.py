"""What a line code lets the user set, in a form the interface can show without knowing the code."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import msgspec

from ..errors import MisuseError


class LineSettings(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, tag_field="code"):
    """Base of all settings of a line code, which are immutable values with a JSON form."""


@dataclass(frozen=True, slots=True)
class Setting:
    """One thing to set.

    Attributes
    ----------
    name
        Attribute of the settings.
    words
        As the interface says it.
    kind
        ``channel`` (a line of the recording), ``choice``, ``number``, ``flag`` or ``text``.
    unit
        Of a number.
    choices
        Of a choice: (value, words).
    measured
        None means that it is measured from the wave.
    optional
        Of a channel: may be left out.
    """

    name: str
    words: str
    kind: Literal["channel", "choice", "number", "flag", "text"]
    unit: str = ""
    choices: tuple[tuple[object, str], ...] = ()
    measured: bool = False
    optional: bool = False


def check_settings(settings: msgspec.Struct, fields: tuple[Setting, ...], name: str) -> None:
    """Refuse settings that are none of those there are.

    Raises
    ------
    MisuseError
        With the first one that is wrong, and what may stand there.
    """
    for field in fields:
        value = getattr(settings, field.name)
        if value is None and field.measured:
            continue
        if field.kind == "choice" and value not in {choice for choice, _ in field.choices}:
            known = ", ".join(repr(choice) for choice, _ in field.choices)
            raise MisuseError(f"{field.name}={value!r}, expected one of {known}.", where=name)
        if field.kind == "number" and field.measured and value <= 0:
            raise MisuseError(f"{field.name}={value!r}, expected a number above 0.", where=name)


@dataclass(frozen=True, slots=True)
class Proposal:
    """Settings that a wave itself suggests.

    Attributes
    ----------
    settings
    score
        0 to 1: how much of the wave the settings explain, judged by the code itself.
    reason
        One sentence with figures.
    needs_check
        Whether it explains any line, so that only a check that agrees in its frames speaks for it.
    """

    settings: LineSettings
    score: float
    reason: str
    needs_check: bool = False
