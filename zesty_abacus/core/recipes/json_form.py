"""Recipes as JSON: one documented form for files, the trial and the library.

The published schema is ``schema/recipes-1.schema.json``.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from pathlib import Path

import msgspec

from ..errors import DataError, MisuseError
from ..files.errors import file_errors_as
from ..files.reading import read_file
from ..harmless import json_text
from ..lines.settings import check_settings
from .changes import fields_of
from .model import Recipe

FORMAT = "zesty-abacus recipes"
VERSION = 1
SCHEMA_PATH = Path(__file__).parent / "schema" / "recipes-1.schema.json"
MAX_FILE_BYTES = 16 << 20


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
        With the path of the first element that is wrong.
    """
    try:
        return msgspec.json.decode(document, type=Recipe)
    except (msgspec.DecodeError, ValueError, RecursionError) as error:
        raise RecipeFormError(f"this is no recipe: {error}.", where=where) from error


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
        If it cannot be read, is too large, or an element is wrong; the message has the element's path.
    """
    with file_errors_as(RecipeFormError):
        data = read_file(path, MAX_FILE_BYTES)
    try:
        head = msgspec.json.decode(data, type=_RecipeFile)
    except (msgspec.DecodeError, ValueError, RecursionError) as error:
        raise RecipeFormError(f"this is no recipe file: {error}.", where=str(path)) from error
    if head.format != FORMAT or head.version > VERSION:
        raise RecipeFormError(
            f"format={head.format!r} version={head.version}, expected {FORMAT!r} up to {VERSION}.", where=str(path)
        )
    return [_checked(bytes(raw), f"{path} $.recipes[{n}]") for n, raw in enumerate(head.recipes)]


def _checked(document: bytes, where: str) -> Recipe:
    """Read one recipe, and refuse words in it that mean nothing; what is kept already is told of when it is used."""
    recipe = recipe_from_json(document, where=where)
    for name, settings in (("line", recipe.line), ("framing", recipe.framing)):
        if settings is not None:
            try:
                check_settings(settings, fields_of(settings), name)
            except MisuseError as error:
                raise RecipeFormError(error.message, where=f"{where}.{name}", hint=error.hint) from error
    return recipe


def published_schema() -> dict:
    """Return the JSON schema of a recipe file, made from the settings of all line codes and framings there are."""
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
