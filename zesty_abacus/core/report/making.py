"""Puts a report together of what is open: how far it is understood, what is wrong, what is known of it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

from ..captures.source import files_of_source
from ..files.errors import FileError
from ..files.hashing import sha256_of
from ..frames.activity import capture_activity
from ..frames.capture import Capture
from ..handover.kind_words import kind_words
from ..handover.sheet import sheet_of
from ..library.documents import Claim
from ..origin import Origin
from ..problems.limits import Limits
from ..problems.look import look_for_problems
from ..problems.problem import Problem
from ..progress import Progress
from ..reading.explained import Explained, KindExplained, explain, percent
from ..reading.meaning import Meaning
from ..trial.content import TrialFile
from ..trial.outcome import SourceOutcome
from ..unravel.finding import Finding
from ..unravel.look import Asked
from ..unravel.look import unravel as look
from ..unravel.told import confidence_word
from ..unravel.told import title as finding_title
from ..values.reference import ReferenceColumn, fit
from ..words import counted, grouped, span_text
from .blocks import Block, Facts, Heading, Report, Sentence, Sheets, Table
from .traces import Trace, liveliest, seen_figure, traces_figure

_MOST_MESSAGES, _MOST_PROBLEMS, _MOST_FINDINGS, _MOST_SHEETS = 400, 100, 60, 200


@dataclass(frozen=True, slots=True, eq=False)
class Material:
    """What a report is made of.

    Attributes
    ----------
    meaning
    said
        What the trial says.
    outcomes
        What came out of each recording.
    origin
        The library and its state; None without one.
    claims
    references
        What instruments said.
    """

    meaning: Meaning
    said: TrialFile
    outcomes: Sequence[SourceOutcome]
    origin: Origin | None = None
    claims: Sequence[Claim] = ()
    references: Sequence[ReferenceColumn] = ()
    made: datetime = field(default_factory=lambda: datetime.now(UTC))


def make_report(material: Material, progress: Progress | None = None) -> Report:
    """Return a report; without a library it is a first survey of an unknown bus.

    Raises
    ------
    Cancelled
        If the progress was cancelled.
    """
    progress = progress or Progress()
    meaning = material.meaning
    progress.step(0.0, "counting bits")
    counted_kinds = explain(meaning, capture_activity(meaning.capture, progress.part(0.0, 0.2)), check=progress.check)
    problems = look_for_problems(meaning, Limits(material.said.limits), progress.part(0.2, 0.5)).problems
    aside = {one.key for one in material.said.set_aside}
    told = [one for one in problems if one.key not in aside]
    findings = [one for kind in look(meaning, Asked(), material.references, progress=progress.part(0.5, 0.9)).kinds
                for one in kind.findings]  # fmt: skip
    traces = liveliest(meaning, [one.field for one in material.said.laid_over], progress.part(0.9, 1.0))
    blocks = [
        *_summary(material, counted_kinds), *_sources(material), *_lanes(meaning, counted_kinds),
        *_values(material, traces), *_problems(meaning.capture, told, len(problems) - len(told)),
        *_agreement(material, traces), *_messages(meaning, counted_kinds), *_findings(findings), *_claims(material),
        *_sheets(material),
    ]  # fmt: skip
    return Report(_title(material), tuple(_lines(material)), tuple(blocks))


def _title(material: Material) -> str:
    said = f"{material.said.name} {material.said.run}".strip()
    return said or ", ".join(outcome.path.name for outcome in list(material.outcomes)[:3])


def _lines(material: Material) -> Iterator[str]:
    origin = material.origin
    if origin is None:
        yield "A first survey: no library says what its messages mean."
    else:
        yield f"Read with {origin.words()}."
    yield f"Made on {material.made:%Y-%m-%d %H:%M} UTC by Zesty Abacus{f' {origin.program}' if origin else ''}."


def _summary(material: Material, kinds: Sequence[KindExplained]) -> Iterator[Block]:
    capture = material.meaning.capture
    whole = sum((one.explained for one in kinds), Explained())
    span = capture.end_ns - capture.origin_ns if len(capture) else 0
    known = sum(bool(one.readers) for one in material.meaning.kinds)
    proved = "still" if whole.proved_share is None else percent(whole.proved_share)
    yield Facts((
        ("Explained bits", f"{whole.share_text()} claimed, {proved} proved: {whole.words()}"),
        ("Frames", f"{grouped(len(capture))} in {span_text(span)}"),
        ("Lanes", f"{len(capture.lanes)} with {counted(len(kinds), 'kind')} of messages, {known} of them known"),
    ))  # fmt: skip


def _sources(material: Material) -> Iterator[Block]:
    yield Heading("Recordings")
    rows = []
    for outcome in material.outcomes:
        for number, path in enumerate(files_of_source(outcome.path)):
            what = "belongs to it" if number else outcome.report.format_name
            if outcome.needs_recipe and not number:
                what = f"{what}, not read: no recipe says what it speaks"
            rows.append((path.name, what, ", ".join(outcome.lanes) if not number else "", _hash_of(path)))
    yield Table(("file", "form", "lanes", "SHA-256"), tuple(rows), (19, 16, 12, 53), plain=(3,))
    for outcome in material.outcomes:
        if outcome.error:
            yield Sentence(outcome.error, is_wrong=True)
        elif outcome.report.problem_count:
            yield Sentence(f"{outcome.path.name}: {counted(outcome.report.problem_count, 'line')} could not be read.",
                           is_wrong=True)  # fmt: skip


def _hash_of(path: Path) -> str:
    """Return the hash of a file; a word where it is not there any more."""
    try:
        return sha256_of(path)[0]
    except FileError:
        return "cannot be read"


def _lanes(meaning: Meaning, kinds: Sequence[KindExplained]) -> Iterator[Block]:
    capture = meaning.capture
    yield Heading("Lanes")
    rows = []
    for number, lane in enumerate(capture.lanes):
        own = [kind for kind, key in enumerate(capture.kinds.keys) if key.lane == number]
        frames = sum(len(capture.kinds.rows(kind)) for kind in own)
        share = sum((kinds[kind].explained for kind in own), Explained())
        proved = "" if share.proved_share is None else percent(share.proved_share)
        rows.append((lane.name, lane.protocol, lane.note, grouped(frames), str(len(own)), share.share_text(), proved))
    yield Table(("lane", "speaks", "note", "frames", "kinds", "claimed", "proved"), tuple(rows),
                (18, 12, 26, 12, 8, 12, 12), (3, 4, 5, 6))  # fmt: skip


def _values(material: Material, traces: Sequence[Trace]) -> Iterator[Block]:
    capture, moments = material.meaning.capture, sorted(material.said.moments, key=lambda one: one.time_ns)
    if traces:
        yield Heading("Values over time")
        yield traces_figure(traces, capture.origin_ns, capture.end_ns, moments)
    if moments:
        yield Heading("Moments")
        rows = [(str(number), _since(capture, one.time_ns), one.text) for number, one in enumerate(moments, 1)]
        yield Table(("", "at", "what happened"), tuple(rows), (6, 14, 80), (0, 1))


def _since(capture: Capture, time_ns: int) -> str:
    return f"{(time_ns - capture.origin_ns) / 1e9:.3f} s"


def _problems(capture: Capture, problems: Sequence[Problem], aside: int) -> Iterator[Block]:
    yield Heading("What is wrong")
    if not problems:
        yield Sentence("Nothing was found to be wrong.")
    rows = [
        (one.kind.words, one.lane, one.message or _address(capture, one), one.field, grouped(one.count),
         _since(capture, one.worst_ns), one.reason)
        for one in problems[:_MOST_PROBLEMS]
    ]  # fmt: skip
    if rows:
        yield Table(("what", "lane", "message", "field", "times", "worst at", "seen"), tuple(rows),
                    (13, 11, 15, 12, 7, 13, 29), (4, 5), max(len(problems) - _MOST_PROBLEMS, 0))  # fmt: skip
    if aside:
        yield Sentence(f"{counted(aside, 'problem', 'is', 'are')} set aside in the trial.")


def _address(capture: Capture, problem: Problem) -> str:
    return kind_words(capture, problem.kind_number) if problem.kind_number is not None else ""


def _agreement(material: Material, traces: Sequence[Trace]) -> Iterator[Block]:
    """Yield how fields agree with what an instrument said that the trial lays beside them."""
    columns = {(one.source, one.name): one for one in material.references}
    rows = []
    for laid in material.said.laid_over:
        column = columns.get((laid.source, laid.name))
        trace = next((one for one in traces if one.field == laid.field), None)
        if column is None or trace is None:
            continue
        agrees = fit(trace.curve.time_ns, trace.curve.values, column)
        words = agrees.words(trace.name, trace.unit) if agrees is not None else "They have no time in common."
        rows.append((f"{trace.message}, {trace.name}", f"{column.name} of {column.source}", words))
    if rows:
        yield Heading("Beside instruments")
        yield Table(("field", "reference", "how they agree"), tuple(rows), (24, 24, 52))


def _messages(meaning: Meaning, kinds: Sequence[KindExplained]) -> Iterator[Block]:
    capture = meaning.capture
    yield Heading("Messages")
    rows = []
    for kind, key in enumerate(capture.kinds.keys):
        frames = len(capture.kinds.rows(kind))
        times = capture.frames.times(capture.order_of_kind(kind).rows())
        period = span_text((int(times[-1]) - int(times[0])) / (frames - 1)) if frames > 1 else ""
        readers = ", ".join(reader.layout.name for reader in meaning.kinds[kind].readers) or "unknown"
        share = kinds[kind].explained
        proved = "" if share.proved_share is None else percent(share.proved_share)
        rows.append((capture.lanes[key.lane].name, kind_words(capture, kind), readers, grouped(frames), period,
                     str(share.moving), share.share_text(), proved))  # fmt: skip
    rows.sort(key=lambda row: (row[2] != "unknown", row[0]))
    yield Table(("lane", "address", "message", "frames", "on average every", "moving bits", "claimed", "proved"),
                tuple(rows[:_MOST_MESSAGES]), (12, 19, 21, 9, 12, 9, 10, 8), (3, 4, 5, 6, 7),
                max(len(rows) - _MOST_MESSAGES, 0))  # fmt: skip


def _findings(findings: Iterable[Finding]) -> Iterator[Block]:
    found = sorted(findings, key=lambda one: -one.confidence)
    if not found:
        return
    yield Heading("What unknown bits seem to be")
    rows = [
        (f"{one.lane}, {one.message or hex(one.address)}", finding_title(one), str(one.places),
         f"{one.confidence:.0%}, {confidence_word(one.confidence)}", one.reason)
        for one in found[:_MOST_FINDINGS]
    ]  # fmt: skip
    yield Table(("message", "what", "places", "how sure", "why"), tuple(rows), (18, 20, 14, 14, 34), (),
                max(len(found) - _MOST_FINDINGS, 0))  # fmt: skip


def _claims(material: Material) -> Iterator[Block]:
    if not material.claims:
        return
    yield Heading("Claims")
    rows = [(one.name, f"{one.lane} {one.places}".strip(), one.standing.value, " ".join(one.evidence))
            for one in sorted(material.claims, key=lambda one: (one.standing.value, one.name))]  # fmt: skip
    yield Table(("claim", "about", "standing", "what was seen"), tuple(rows), (30, 20, 12, 38))
    for one in sorted(material.claims, key=lambda one: one.name):
        if one.curves:
            yield Sentence(f"Seen for “{one.name}”:")
        yield from map(seen_figure, one.curves)


def _sheets(material: Material) -> Iterator[Block]:
    meaning = material.meaning
    used = {reader.layout.id: reader.layout for kind in meaning.kinds for reader in kind.readers}
    if not used or material.origin is None:
        return
    ordered = sorted(used.values(), key=lambda one: one.name.casefold())
    yield Heading("Layouts")
    yield Sheets(tuple(sheet_of(layout, material.origin.words()) for layout in ordered[:_MOST_SHEETS]))
    if len(ordered) > _MOST_SHEETS:
        yield Sentence(f"{counted(len(ordered) - _MOST_SHEETS, 'layout')} more are left out.")
