"""``zesty-abacus unravel``: what the bits of unknown messages are."""

from __future__ import annotations

import contextlib
from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from collections.abc import Iterator

    from ..core.frames.capture import Capture
    from ..core.layouts.model import Layout
    from ..core.unravel.finding import Finding
    from ..core.unravel.look import Asked, Unravelled
    from .output import OpenedSources

from ..core.errors import MisuseError
from ..core.words import counted
from .options import moments_option, output_option, recipe_option


@click.command()
@click.argument("sources", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--library", "where", default="", help="File, trial or server of the library; what it explains is known.")
@click.option("--release", default="", help="A release of the library; the trial's, or the newest state if left out.")
@click.option("--all", "with_known", is_flag=True, help="Also bits that the library explains.")
@click.option("--lane", default="", help="Only this lane.")
@click.option("--address", default="", help="Only this address, as 0x1A0, 416 or 1/3/100.")
@click.option("--reference", "references", multiple=True, type=click.Path(path_type=Path),
              help="CSV of what an instrument said: a time, and any columns of numbers.")  # fmt: skip
@click.option("--only", "only", multiple=True, help="Only findings of this kind; may be given several times.")
@click.option(
    "--keep-above",
    type=click.FloatRange(0, 1),
    metavar="CONFIDENCE",
    help="Propose a draft a message to --library, with what is at least so sure.",
)
@click.option("--author", default="", help="Who proposes; this user if left out.")
@click.option("--to", "form", type=click.Choice(["jsonl", "text"]), default="jsonl", show_default=True)
@recipe_option
@moments_option
@output_option
def unravel(
    sources: tuple[Path, ...], where: str, release: str, with_known: bool, lane: str, address: str,
    references: tuple[Path, ...], only: tuple[str, ...], keep_above: float | None, author: str, form: str,
    recipes: tuple[Path, ...], moments: Path | None, output: Path | None, force: bool,
) -> None:  # fmt: skip
    """Put out what is found out about the bits in SOURCES: one finding a line, best first within a message."""
    from ..core.handover.findings import FORMS
    from ..core.trial.moments import moments_from_file
    from ..core.unravel.across.question import Action
    from ..core.unravel.drafts import drafts
    from ..core.unravel.look import Asked
    from ..core.unravel.look import unravel as look
    from .asking import layouts_of
    from .output import opened_sources, put_text, target_for
    from .terminal import say

    if keep_above is not None and not where:
        raise click.UsageError("Drafts are proposed to a library. Give it with --library.")
    kinds = _kinds(only)
    target = target_for(output, force, *sources, *recipes, *references, *([where] if where else []))
    layouts, _origin = layouts_of(where, release, sources)
    with opened_sources(sources, recipes, where) as opened:
        if lane and lane not in {one.name for one in opened.capture.lanes}:
            known = ", ".join(one.name for one in opened.capture.lanes)
            raise click.UsageError(f"There is no lane called {lane}. There are: {known}.")
        asked = Asked(lane, _address(opened.capture, address), kinds, with_known)
        done = [*opened.said.moments, *(moments_from_file(moments) if moments is not None else ())]
        curves = [column for path in references for column in _columns(path)]
        found = look(
            opened.meaning(layouts, release), asked, curves, [Action(one.time_ns, one.text) for one in done]
        )  # fmt: skip
        findings = _with_differences(opened, found, asked)
        messages = len({(one.lane, one.address, one.flags, one.message) for one in findings})
        say(f"{counted(len(findings), 'finding')} in {counted(messages, 'message')}", err=True)
        put_text("".join(FORMS[form](findings)), target)
        if keep_above is not None:
            _propose(where, drafts(found, keep_above, curves), keep_above, author)


def _with_differences(opened: OpenedSources, found: Unravelled, asked: Asked) -> list[Finding]:
    """Return the findings message by message, with what tells the sources apart if there are several."""
    from ..core.unravel.differences import Stretch, differences

    by_kind = {kind.kind: list(kind.findings) for kind in found.kinds}
    paths = [outcome.path for outcome in opened.made.outcomes]
    names = [path.name for path in paths]
    if len(set(names)) < len(names):
        names = [str(path) for path in paths]
    rows = dict(zip(names, opened.made.rows, strict=True))
    if len(rows) > 1 and not opened.name and (not asked.kinds or "difference" in asked.kinds):
        stretches = [Stretch(name, first_row=first, end_row=end) for name, (first, end) in rows.items() if end > first]
        for kind, one in differences(found.meaning, stretches):
            if kind in by_kind:
                by_kind[kind].append(one)
    return [one for kind in sorted(by_kind) for one in sorted(by_kind[kind], key=lambda one: -one.confidence)]


def _propose(where: str, made: Iterator[tuple[Layout, int]], least: float, author: str) -> None:
    """Propose drafts to a library; what is agreed on there stays as it is."""
    from ..core.library.author import default_author
    from .library.options import opened as opened_library
    from .terminal import say

    with opened_library(where) as library:
        for layout, count in made:
            head = library.layouts.head_of(layout.id)
            parent = head.revision.id if head is not None else None
            reason = f"{counted(count, 'finding')} of at least {least:g}"
            library.proposals.propose(
                layout.id, layout, parent=parent, author=author or default_author(), reason=reason
            )
            say(f"proposed {layout.name}: {reason}", err=True)


def _address(capture: Capture, text: str) -> int | None:
    """Return an address that frames have, written as one number or as engineers of the lane's protocol do."""
    from ..core.protocols.registry import protocol_named

    if not text:
        return None
    for key in capture.kinds.keys:
        spoken = protocol_named(capture.lanes[key.lane].protocol)
        with contextlib.suppress(MisuseError):
            if key.address in (_number(text), spoken.read_address(text)[0]):
                return key.address
    raise click.UsageError(f"No frame has the address {text}. Write it as frames puts it out, 417 or 0x1A1.")


def _number(text: str) -> int | None:
    try:
        return int(text, 0)
    except ValueError:
        return None


def _kinds(only: tuple[str, ...]) -> frozenset[str]:
    from ..core.unravel.finding import KINDS

    for kind in only:
        if kind not in KINDS:
            raise click.UsageError(f"There is no kind of finding called {kind}. There are: {', '.join(KINDS)}.")
    return frozenset(only)


def _columns(path: Path):  # type: ignore[no-untyped-def]
    from ..core.trial.references import file_columns

    return file_columns(path)
