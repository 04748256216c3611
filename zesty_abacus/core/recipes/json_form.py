"""Recipes as JSON: one documented form for files, the trial and the library.

The published schema is ``schema/recipes-1.schema.json``.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any
from uuid import UUID, uuid5

import msgspec

from ..errors import DataError, MisuseError
from ..files.errors import file_errors_as
from ..files.reading import read_file
from ..harmless import json_text
from ..json_faults import faults_in, faults_of, name_in
from ..lines.settings import check_settings
from .changes import fields_of
from .model import Recipe, know_all_codes

FORMAT = "zesty-abacus recipes"
VERSION = 1
SCHEMA_PATH = Path(__file__).parent / "schema" / "recipes-1.schema.json"
MAX_FILE_BYTES = 16 << 20

_BY_HAND = UUID("8d0c5b1e-9c54-5a43-8f7e-2b0d6f1c7a35")


class RecipeFormError(DataError):
    """JSON that is no recipe."""


class _RecipeFile(msgspec.Struct):
    format: str
    version: int
    recipes: list[msgspec.Raw]


def recipe_to_json(recipe: Recipe) -> bytes:
    """Return the compact JSON document of one recipe."""
    return msgspec.json.encode(recipe)


def recipe_from_json(document: bytes, *, where: str = "") -> Recipe:
    """Read one recipe.

    Raises
    ------
    RecipeFormError
        With all that is wrong in it.
    """
    know_all_codes()
    try:
        return msgspec.json.decode(document, type=Recipe)
    except (msgspec.DecodeError, ValueError, RecursionError) as error:
        wrong = faults_in(document, Recipe) or [str(error)]
        raise RecipeFormError.of("this is no recipe", wrong, where=where) from error


def recipes_to_file_text(recipes: Iterable[Recipe]) -> str:
    """Return the text of a recipe file, indented for reading and comparing."""
    plain = [json.loads(recipe_to_json(recipe)) for recipe in recipes]
    document = {"format": FORMAT, "version": VERSION, "recipes": plain}
    return json_text(json.dumps(document, indent=1, ensure_ascii=False)) + "\n"


def recipes_from_file(path: Path) -> list[Recipe]:
    """Read a recipe file.

    Raises
    ------
    RecipeFormError
        If it cannot be read, is too large, or something in it is wrong; the error names everything that is.
    """
    know_all_codes()
    with file_errors_as(RecipeFormError):
        data = read_file(path, MAX_FILE_BYTES)
    try:
        head = msgspec.json.decode(data, type=_RecipeFile)
    except (msgspec.DecodeError, ValueError, RecursionError) as error:
        wrong = faults_in(data, _RecipeFile) or [str(error)]
        raise RecipeFormError.of("this is no recipe file", wrong, where=str(path)) from error
    if head.format != FORMAT or head.version > VERSION:
        raise RecipeFormError(
            f"format={head.format!r} version={head.version}, expected {FORMAT!r} up to {VERSION}.", where=str(path)
        )
    made, wrong = list[Recipe](), list[str]()
    for number, raw in enumerate(head.recipes, 1):
        plain = _with_identity(msgspec.json.decode(raw))
        called = name_in(plain) or f"recipe {number}"
        found = faults_of(plain, Recipe, inside=called)
        if not found:
            made.append(msgspec.convert(plain, Recipe))
            found = [f"{called}, {fault}" for fault in _words_without_meaning(made[-1])]
        wrong += found
    if wrong:
        raise RecipeFormError.of("these are no recipes", wrong, where=str(path))
    return made


def _with_identity(plain: Any) -> Any:
    """Give a recipe that was written by hand an identity, made of its name: the same one every time."""
    return {"id": str(uuid5(_BY_HAND, name_in(plain))), **plain} if isinstance(plain, dict) else plain


def _words_without_meaning(recipe: Recipe) -> Iterator[str]:
    """Yield settings that mean nothing; of what is kept already that is told when it is used."""
    for name, settings in (("line", recipe.line), ("framing", recipe.framing)):
        if settings is not None:
            try:
                check_settings(settings, fields_of(settings), name)
            except MisuseError as error:
                yield f"{name}: {error.message.rstrip('.')}"


def published_schema() -> dict:
    """Return the JSON schema of a recipe file, made from the settings of all line codes and framings there are."""
    know_all_codes()
    made = msgspec.json.schema(Recipe)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Zesty Abacus recipes, version 1",
        "type": "object",
        "required": ["format", "version", "recipes"],
        "properties": {
            "format": {"const": FORMAT},
            "version": {"type": "integer", "minimum": 1, "maximum": VERSION},
            "recipes": {"type": "array", "items": {"$ref": "#/$defs/Recipe"}},
        },
        "$defs": made["$defs"],
    }
