"""Lists of items as a person types them: JSON, with numbers exact."""

from __future__ import annotations

import json
from fractions import Fraction
from typing import Any

from ..errors import MisuseError


def list_from_text(name: str, text: str) -> Any:
    """Return what JSON says of an array, or of elements.

    Raises
    ------
    MisuseError
        If it is no JSON.
    """
    try:
        return json.loads(text, parse_float=Fraction)
    except (ValueError, RecursionError) as error:
        raise MisuseError(f"this is no JSON: {error}.", where=name, hint='Write it like [{"height": 0.5}].') from error
