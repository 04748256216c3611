"""Polynomials and tables in text: what a person types."""

from __future__ import annotations

from fractions import Fraction

from .fields import CurvePoint
from .numbers import NumberError, format_exact, parse_exact


def parse_polynomial(text: str) -> tuple[Fraction, ...]:
    """Read coefficients from the constant on, such as ``1, 0.5, -1/8``; raises :class:`NumberError`."""
    return tuple(parse_exact(part) for part in text.split(",")) if text.strip() else ()


def parse_table(text: str) -> tuple[CurvePoint, ...]:
    """Read corners such as ``0: -5, 364: 12``.

    Raises
    ------
    NumberError
        If a corner is not two numbers with a colon between.
    """
    corners = []
    for part in text.split(",") if text.strip() else ():
        x, colon, y = part.partition(":")
        if not colon:
            raise NumberError(
                f"{part.strip()[:40]!r} is no corner.", hint="Write what is read and what it means: 0: -5."
            )
        corners.append(CurvePoint(parse_exact(x), parse_exact(y)))
    return tuple(corners)


def format_table(corners: tuple[CurvePoint, ...]) -> str:
    """Write corners as :func:`parse_table` reads them."""
    return ", ".join(f"{format_exact(corner.x)}: {format_exact(corner.y)}" for corner in corners)
