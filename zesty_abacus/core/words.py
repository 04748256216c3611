"""Lengths of time, counts and numbers as sentences write them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import Any


def span_text(nanoseconds: float) -> str:
    """Write a length of time in the unit that suits it: ``9.98 ms``."""
    size = abs(nanoseconds)
    # rounded first: 999.96 ms is a second, not 1e+03 ms
    for limit, divisor, unit in ((999.5, 1.0, "ns"), (999.5e3, 1e3, "µs"), (999.5e6, 1e6, "ms"), (120e9, 1e9, "s")):
        if size < limit:
            return f"{nanoseconds / divisor:.3g} {unit}".replace("-", "−")
    return f"{nanoseconds / 60e9:.1f} min".replace("-", "−")


def later_text(nanoseconds: float, lead: str = "") -> str:
    """Say how much later something came, with what stands before a length of time: ``+3.8 ms``, or ``at once``."""
    return f"{lead}{span_text(nanoseconds)}" if nanoseconds else "at once"


def grouped(number: int) -> str:
    """Write a whole number with a thin space between groups of three digits and a true minus."""
    return f"{number:,}".replace(",", "\u2009").replace("-", "−")


def counted(number: int, thing: str, one: str = "", many: str = "") -> str:
    """Write how many there are of something, and what it or they do.

    ``1 frame``, ``2\u2009000 frames``; with ``one="is", many="are"``: ``1 frame is``.
    """
    does = one if number == 1 else many
    return f"{grouped(number)} {thing}{'' if number == 1 else 's'}{f' {does}' if does else ''}"


def number_text(value: float) -> str:
    """Write a number with up to six significant digits, no exponent for what people type."""
    return f"{value:.6g}" if abs(value) < 1e6 else f"{value:.0f}"


def figure_text(value: float) -> str:
    """Write a number that is read off a picture or a device: six digits that count, and of large ones every digit.

    Whole digits are grouped as in :func:`grouped`, the minus is a true one, and only what is beyond 1e15 or far below 1
    has an exponent: ``428\u2009444\u2009256``, ``−12\u2009345.6``, ``1.03712e−05``.
    """
    if not math.isfinite(value):
        return "no number" if math.isnan(value) else "infinite" if value > 0 else "−infinite"
    size = abs(value)
    digits = in_groups(f"{size:.0f}" if 999_999.5 <= size < 1e15 else f"{size:.6g}")
    return f"−{digits}" if value < 0 else digits


def in_groups(number: str) -> str:
    """Return a number in digits as sentences write it: whole digits in groups, a true minus; its value stays."""
    sign, digits = ("−", number[1:]) if number.startswith("-") else ("", number)
    whole, point, rest = digits.partition(".")
    if whole.isdigit():
        digits = f"{grouped(int(whole))}{point}{rest}"
    return f"{sign}{digits.replace('-', '−')}"


def share_text(some: float, total: float) -> str:
    """Write a part in whole per cent; a few are not told as none, nor nearly all as all."""
    share = some / total
    if 0 < share < 0.01:
        return "less than 1%"
    return "more than 99%" if 0.995 <= share < 1 else f"{share:.0%}"


def known_to(value: float, error: float) -> str:
    """Write a measured number to the place of the first digit of its error: 0.0099986 ± 0.00003 as ``0.01``.

    Without an error it has the digits of :func:`number_text`.
    """
    if not error > 0:
        return number_text(value)
    places = -math.floor(math.log10(error))
    return number_text(round(value, places) + 0.0)  # minus nothing is nothing


def added_words(value: float | Fraction, text: Callable[[Any], str] = str) -> str:
    """Say what is added to a number, behind it: `` plus 3``, `` minus 40``, nothing of nothing."""
    return f" {'plus' if value > 0 else 'minus'} {text(abs(value))}" if value else ""


def listed(names: Sequence[str], *, most: int = 3) -> str:
    """List names, of many the first ones and how many more there are: ``a``, ``a and b``, ``a, b, c and 2 more``."""
    if len(names) > most:
        return f"{', '.join(names[:most])} and {len(names) - most} more"
    return " and ".join(part for part in (", ".join(names[:-1]), *names[-1:]) if part)
