"""Finds the languages."""

from __future__ import annotations

from functools import cache

from ...discover import discover
from ..errors import GenerateError
from ..language import Language


@cache
def languages() -> dict[str, Language]:
    """Return all languages by name."""
    import zesty_abacus.core.generate.languages as package  # cannot be named before it is imported

    return {language.name: language for language in reversed(discover(package, "LANGUAGE"))}


def language_named(name: str) -> Language:
    """Return a language; raises :class:`GenerateError` if there is none of this name."""
    found = languages().get(name)
    if found is None:
        raise GenerateError(f"{name!r} is no language.", hint=f"There are {', '.join(sorted(languages()))}.")
    return found
