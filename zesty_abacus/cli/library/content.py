"""What a library holds, on the command line: make it, fill it, look at it, check it, put it out."""

from __future__ import annotations

import os
import sys
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import click

from ...core.errors import DataError
from ...core.exchange.mapping_shelf import mapping_from_file, mapping_text
from ...core.exchange.onto import onto_library
from ...core.exchange.registry import TABLE, WRITERS, form_of, open_table, read_layout_file
from ...core.exchange.result import ExchangeError, Left
from ...core.exchange.table_mapping import Known, TableMapping, mapping_by_example
from ...core.files.errors import FileError
from ...core.files.reading import open_file
from ...core.handover.sheet import sheet_of
from ...core.handover.sheet_files import write_sheets
from ...core.layouts.clashes import clashes
from ...core.layouts.json_form import layouts_to_file_text
from ...core.layouts.model import Layout
from ...core.layouts.places import parse_places
from ...core.layouts.validate import problems_inside
from ...core.library.check import check_library
from ...core.library.store import Library
from ...core.origin import Origin
from ...core.reading.all_frames import layouts_in_use
from ...core.recipes.json_form import FORMAT as RECIPES_FORMAT
from ...core.recipes.json_form import recipes_from_file, recipes_to_file_text
from ...core.words import counted
from ..libraries import open_library
from ..options import FORCE, output_option, recipe_option
from ..output import opened_sources, put_bytes, put_text, target_for
from ..terminal import say
from .history import look_at_history
from .options import AS_JSON, AUTHOR, LIBRARY, ONLY, RELEASE, opened, say_json


@click.command()
@LIBRARY
@click.option("--name", default="", help="Name of the library; the file's name if left out.")
def new(where: str, name: str) -> None:
    """Make an empty library, in a file or in a database of a server."""
    Library.create(where, name).close()


@click.command("import")
@LIBRARY
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@AUTHOR
@click.option("--reason", default="", help="Why; the file's name if left out.")
@click.option("--columns", type=click.Path(path_type=Path), help="What the columns of a table mean; see columns.")
@AS_JSON
def import_(where: str, files: tuple[Path, ...], author: str, reason: str, columns: Path | None, as_json: bool) -> None:
    """Bring FILES of layouts or recipes in. One known by its id gets a new revision, an equal one is left alone.

    What a format cannot say, such as the checks in a table, stays as the library has it.
    """
    mapping = mapping_from_file(columns) if columns is not None else None
    with opened(where) as target:
        brought = [_bring_in(target, file, mapping, author, reason or f"brought in from {file.name}") for file in files]
    if as_json:
        say_json(brought)
        return
    for one in brought:
        say(f"{one.file}: {counted(one.number, one.what.removesuffix('s'))}, {one.changed} new or changed")
        for left in one.left:
            say(f"{one.file}, {left.words()}", err=True)
        for clash in one.clashes:
            say(f"{one.file}: {clash}", err=True)


@dataclass(frozen=True, slots=True)
class _Brought:
    """What a file gave: how many layouts or recipes, how many of them changed the library, what was left out, and what
    reads the same frames as others do.
    """

    file: str
    what: str
    number: int
    changed: int
    left: list[Left]
    clashes: list[str]


def _bring_in(target: Library, file: Path, mapping: TableMapping | None, author: str, reason: str) -> _Brought:
    if _holds_recipes(file):
        recipes = recipes_from_file(file)
        changed = target.recipes.import_all(recipes, author=author, reason=reason)
        return _Brought(str(file), "recipes", len(recipes), changed, [], [])
    form, exchanged = read_layout_file(file, mapping)
    layouts = onto_library(exchanged.layouts, target.layouts.states(), form, mapping if form == TABLE else None)
    wrong = problems_inside(layouts)
    if wrong:
        raise DataError.of("no frame could be read with this", wrong, where=str(file), hint="Nothing was brought in.")
    changed = target.layouts.import_all(layouts, author=author, reason=reason)
    fresh = {layout.id for layout in layouts}
    told_of = [one for one in clashes(target.layouts.states()) if fresh & {each.id for each in one.layouts}]
    said = [one.sentence() for one in told_of] if changed else []
    return _Brought(str(file), "layouts", len(layouts), changed, exchanged.left, said)


@click.command()
@LIBRARY
@output_option
@click.option("--recipes", is_flag=True, help="Put out the recipes instead.")
@click.option("--to", "form", type=click.Choice(list(WRITERS)), show_default="what FILE ends in, else json")
@ONLY
@RELEASE
def export(
    where: str, output: Path | None, force: bool, recipes: bool, form: str | None, only: tuple[str, ...], release: str
) -> None:  # fmt: skip
    """Put out layouts as a file of one of the known formats, or all recipes as a recipe file.

    What the format has no room for is listed.
    """
    target = target_for(output, force, where)
    source = open_library(where)
    if recipes:
        text = recipes_to_file_text(head.state for head in source.recipes.heads())
        source.close()
        put_text(text, target)
        return
    layouts, origin = _chosen(source, release, only)
    _, _, write = WRITERS[form or form_of(output.name if output is not None else "")]
    written = write(layouts)
    put_bytes(written.data, target, origin)
    for left in written.left:
        say(f"{left.place}: not put out: {left.reason}", err=True)


@click.command()
@LIBRARY
@click.option("-o", "--output", required=True, type=click.Path(path_type=Path), help="A .html, .svg or .pdf file.")
@FORCE
@ONLY
@RELEASE
def sheet(where: str, output: Path, force: bool, only: tuple[str, ...], release: str) -> None:
    """Print the sheets of layouts: bit picture, fields, values, checks."""
    from ...desk.launch import make_application
    from ...desk.widgets.pdf import pdf_of

    target = target_for(output, force, where)
    if target is None:
        raise click.UsageError("sheets are written to a file; name one that ends in .html, .svg or .pdf.")
    layouts, origin = _chosen(open_library(where), release, only)
    if output.suffix.lower() == ".pdf":
        # fonts are drawn by the window's toolkit, which needs no screen for that
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        make_application()
    version = f"{origin.words()}, on {datetime.now():%Y-%m-%d %H:%M}"
    write_sheets(target, [sheet_of(layout, version) for layout in layouts], pdf_of)


@click.command()
@click.argument("table", type=click.Path(path_type=Path))
@click.option("--example", multiple=True, metavar="ROW:PLACES",
              help="A row below the headings, from 1, and where its field lies: 3:'B2 B1'.")  # fmt: skip
@output_option
def columns(table: Path, example: tuple[str, ...], output: Path | None, force: bool) -> None:
    """Tell what the columns of TABLE seem to mean, as a file for import --columns.

    How bits are numbered follows from examples: say where the fields of one or two rows lie.
    """
    target = target_for(output, force, table)
    sheet, mapping = open_table(table)
    known = [_example(text) for text in example]
    if known:
        found = mapping_by_example(sheet, mapping, known)
        mapping = found[0]
        if len(found) > 1:
            say(f"{len(found)} ways of numbering give this; the one with least trouble is taken.", err=True)
    say(mapping.numbering.words(), err=True)
    put_text(mapping_text(mapping), target)


def _example(text: str) -> Known:
    row, colon, places = text.partition(":")
    if not colon or not row.strip().isdigit() or int(row) < 1:
        raise click.BadParameter(f"{text!r} is no row and its places; write 3:'B2 B1'.")
    return Known(int(row) - 1, parse_places(places))


@click.command()
@LIBRARY
@click.argument("search", default="")
@AS_JSON
def show(where: str, search: str, as_json: bool) -> None:
    """Show layouts and their fields; SEARCH is part of a name, an address or a unit."""
    source = open_library(where)
    layouts = source.layouts.states()
    if search:
        found = {hit.layout_id for hit in source.layouts.search(search)}
        layouts = [layout for layout in layouts if layout.id in found]
    recipes = [head.state for head in source.recipes.heads() if search.casefold() in head.state.name.casefold()]
    source.close()
    if as_json:
        click.echo(layouts_to_file_text(layouts), nl=False)
        return
    for layout in layouts:
        _show_layout(layout)
    for recipe in recipes:
        say(f"recipe  {recipe.name}: {recipe.speaks}, for {recipe.source.file}, lane {recipe.lane}")


@click.command()
@LIBRARY
@click.argument("recordings", nargs=-1, type=click.Path(path_type=Path))
@click.option("--history", is_flag=True, help="Also look whether history holds together, and hash all of it.")
@click.option(
    "--against",
    multiple=True,
    type=click.Path(path_type=Path),
    help="An older copy, a working copy or an exported file: what it holds must be in the history still.",
)
@recipe_option
@AS_JSON
def check(
    where: str, recordings: tuple[Path, ...], history: bool, against: tuple[Path, ...], recipes: tuple[Path, ...],
    as_json: bool,
) -> None:  # fmt: skip
    """Tell what is wrong: overlaps, doubled names and addresses, units that differ. Exit code 1 if anything is.

    With RECORDINGS, or a trial, it also tells which layouts read no frame of them; that is no fault. With --history
    it prints a hash over every sort of changes: written down, it shows later whether anybody rewrote them.
    """
    with opened(where) as source:
        layouts = source.layouts.states()
        problems = [*source.damage, *check_library(layouts)]
        looked = look_at_history(source, against) if history or against else None
    if looked is not None:
        problems += looked.problems
    unused: list[str] = []
    if recordings:
        with opened_sources(recordings, recipes, where) as trial:
            used = layouts_in_use(trial.meaning(layouts))
            unused = [layout.name for layout in layouts if layout.id not in used]
    if as_json:
        said = {"problems": problems, "unused": unused} | (looked.plain() if looked is not None else {})
        say_json(said)
        sys.exit(1 if problems else 0)
    for problem in problems:
        say(problem)
    for name in unused:
        say(f"{name} reads no frame here.")
    for line in looked.lines() if looked is not None else ():
        say(line)
    say(counted(len(problems), "problem"))
    sys.exit(1 if problems else 0)


@click.command()
@LIBRARY
@click.option("--limit", default=50, show_default=True, type=click.IntRange(1, 100_000))
@AS_JSON
def log(where: str, limit: int, as_json: bool) -> None:
    """Show the newest changes: revision, time, author, layout, reason."""
    source = open_library(where)
    if as_json:
        plain = [{"revision": change, "layout": name} for change, name in source.layouts.log(limit)]
        say_json(plain)
        source.close()
        return
    for change, name in source.layouts.log(limit):
        stamp = change.time.astimezone().strftime("%Y-%m-%d %H:%M:%S")
        say(f"{change.id:6d}  {stamp}  {change.author}  {name or change.item_id}: {change.reason}")
    source.close()


def _chosen(source: Library, release: str, only: tuple[str, ...]) -> tuple[list[Layout], Origin]:
    """Return layouts of a release, or the newest, by name, and where they come from; closes the library."""
    layouts = source.layouts.of_release(release) if release else source.layouts.states()
    origin = source.origin(release)
    source.close()
    chosen = [layout for layout in layouts if not only or layout.name in only]
    if not chosen:
        raise ExchangeError("no layout has that name.", where=str(source.address))
    return chosen, origin


def _holds_recipes(file: Path) -> bool:
    """Whether a file says that it holds recipes; anything else is read, or refused, as layouts."""
    try:
        with open_file(file) as stream:
            return RECIPES_FORMAT.encode() in stream.read(200)
    except (FileError, OSError):
        return False


def _show_layout(layout: Layout) -> None:
    """Print what stands on the sheet of a layout, a line a row."""
    lanes = f" on {', '.join(layout.applies.lanes)}" if layout.applies.lanes else ""
    size = layout.registers.words() if layout.registers is not None else counted(layout.size, "byte")
    say(f"{layout.applies.address_text()}  {layout.name}{lanes}, {size}")
    sheet = sheet_of(layout)
    for row in sheet.rows:
        name, where, read, step, unit, limits, remarks = row.cells
        ratio, _, offset = step.partition(", ")
        scale = f"{ratio} a step" + (f" from {offset}" if offset else "") if step else ""
        said = ", ".join(part for part in (where, read, scale, unit, limits) if part)
        say(f"{'    ' * (row.depth + 1)}{name}: {said}{f'; {remarks}' if remarks else ''}")
    for name, values in sheet.values:
        say(f"    {name} is {', '.join(f'{label} at {raw}' for raw, label in values)}")
    for name, agrees in sheet.checks:
        say(f"    {name}: {agrees}")
