"""``zesty-abacus library``: make, fill, look at and check a library."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from ..core.codec.wording import places_words
from ..core.errors import DataError
from ..core.exchange.registry import read_layout_file
from ..core.layouts.json_form import layouts_to_file_text
from ..core.layouts.model import Layout
from ..core.layouts.numbers import format_exact
from ..core.layouts.validate import check_layout
from ..core.library.check import check_library
from ..core.library.store import Library, default_author
from ..core.recipes.json_form import FORMAT as RECIPES_FORMAT
from ..core.recipes.json_form import recipes_from_file, recipes_to_file_text
from .output import open_library, put_text

_LIBRARY = click.argument("library_path", metavar="LIBRARY", type=click.Path(path_type=Path))


@click.group()
def library() -> None:
    """Make, fill, look at and check a library of layouts."""


@library.command()
@_LIBRARY
@click.option("--name", default="", help="Name of the library; the file's name if left out.")
def new(library_path: Path, name: str) -> None:
    """Make an empty library file."""
    Library.create(library_path, name).close()


@library.command("import")
@_LIBRARY
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--author", default=default_author, show_default="this user")
@click.option("--reason", default="", help="Why; the file's name if left out.")
def import_(library_path: Path, files: tuple[Path, ...], author: str, reason: str) -> None:
    """Bring FILES of layouts or recipes in. One known by its id gets a new revision, an equal one is left alone."""
    target = open_library(library_path)
    for file in files:
        if _holds_recipes(file):
            recipes = recipes_from_file(file)
            changed = target.recipes.import_recipes(
                recipes, author=author, reason=reason or f"brought in from {file.name}"
            )
            click.echo(f"{file}: {len(recipes)} recipes, {changed} new or changed")
            continue
        _, exchanged = read_layout_file(file)
        layouts = exchanged.layouts
        for layout in layouts:
            for problem in check_layout(layout):
                raise DataError(problem.sentence, where=f"{file}, {layout.name}", hint="Nothing was brought in.")
        changed = target.import_layouts(layouts, author=author, reason=reason or f"brought in from {file.name}")
        click.echo(f"{file}: {len(layouts)} layouts, {changed} new or changed")
        for left in exchanged.left:
            click.echo(f"{file}, {left.place}: not carried over: {left.reason}", err=True)
    target.close()


@library.command()
@_LIBRARY
@click.option("-o", "--output", type=click.Path(path_type=Path), help="File; standard output if left out.")
@click.option("--recipes", is_flag=True, help="Put out the recipes instead.")
def export(library_path: Path, output: Path | None, recipes: bool) -> None:
    """Put out all layouts as a layout file, or all recipes as a recipe file."""
    source = open_library(library_path)
    if recipes:
        text = recipes_to_file_text(head.recipe for head in source.recipes.heads())
    else:
        text = layouts_to_file_text(source.layouts())
    source.close()
    put_text(text, output)


@library.command()
@_LIBRARY
@click.argument("search", default="")
def show(library_path: Path, search: str) -> None:
    """Show layouts and their fields; SEARCH is part of a name, an address or a unit."""
    source = open_library(library_path)
    layouts = source.layouts()
    if search:
        found = {hit.layout_id for hit in source.search(search)}
        layouts = [layout for layout in layouts if layout.id in found]
    recipes = [head.recipe for head in source.recipes.heads() if search.casefold() in head.recipe.name.casefold()]
    source.close()
    for layout in layouts:
        _show_layout(layout)
    for recipe in recipes:
        click.echo(f"recipe  {recipe.name}: {recipe.speaks}, for {recipe.source.file}, lane {recipe.lane}")


@library.command()
@_LIBRARY
def check(library_path: Path) -> None:
    """Tell what is wrong: overlaps, doubled names and addresses, units that differ. Exit code 1 if anything is."""
    source = open_library(library_path)
    problems = check_library(source.layouts())
    source.close()
    for problem in problems:
        click.echo(problem)
    click.echo(f"{len(problems)} problems" if len(problems) != 1 else "1 problem")
    sys.exit(1 if problems else 0)


@library.command()
@_LIBRARY
@click.option("--limit", default=50, show_default=True, type=click.IntRange(1, 100_000))
def log(library_path: Path, limit: int) -> None:
    """Show the newest changes: revision, time, author, layout, reason."""
    source = open_library(library_path)
    for change, name in source.log(limit):
        stamp = change.time.astimezone().strftime("%Y-%m-%d %H:%M:%S")
        click.echo(f"{change.id:6d}  {stamp}  {change.author}  {name or change.layout_id}: {change.reason}")
    source.close()


def _holds_recipes(file: Path) -> bool:
    """Whether a file says that it holds recipes; anything else is read, or refused, as layouts."""
    try:
        with file.open("rb") as stream:
            return RECIPES_FORMAT.encode() in stream.read(200)
    except OSError:
        return False


def _show_layout(layout: Layout) -> None:
    lanes = f" on {', '.join(layout.applies.lanes)}" if layout.applies.lanes else ""
    click.echo(f"{layout.applies.address_text()}  {layout.name}{lanes}, {layout.size} bytes")
    for field in layout.fields:
        scale = "" if field.ratio == 1 else f", {format_exact(field.ratio)} a step"
        offset = "" if not field.offset else f", offset {format_exact(field.offset)}"
        unit = f" {field.unit}" if field.unit else ""
        click.echo(f"    {field.name}: {field.places}, {places_words(field)}{scale}{unit}{offset}")
