"""SigMF recordings (SigMF 1.x): a JSON file beside a file of samples, which is mapped as it lies."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from ..files.errors import file_errors_as
from ..files.reading import check_readable, open_file, read_file
from ..json_faults import faults_in
from ..progress import Progress
from ..waves.recording import Annotation, Channel, LineRecording
from ..waves.sample_forms import SAMPLE_FORMS
from ..waves.samples import Samples
from .columns import Columns
from .report import CaptureReadError, ReadReport

_META, _DATA = ".sigmf-meta", ".sigmf-data"
_MAX_META = 64 << 20
_SLOWEST_HZ = 1e-3
"""Slower than this a recording of any size lies beyond the times that nanoseconds in 64 bits can say."""
_MOST_ANNOTATIONS = 10_000


class _Meta(msgspec.Struct, rename={"facts": "global"}):
    facts: dict[str, Any]
    captures: list[dict[str, Any]] = []
    annotations: list[dict[str, Any]] = []


class SigMf:
    """Reader of SigMF recordings, given by either of the two files."""

    name = "SigMF"
    suffixes = (_META, _DATA)

    def sniff(self, head: bytes, path: Path) -> bool:
        """Return whether this is one of the two files and the other is there."""
        if path.suffix == _DATA:
            return path.with_suffix(_META).exists()
        return head.lstrip()[:1] == b"{" and (b'"core:' in head or path.suffix == _META)

    def read(
        self, path: Path, folder: Path, columns: Columns | None, report: ReadReport, progress: Progress
    ) -> LineRecording:
        """Map the samples.

        Raises
        ------
        CaptureReadError
            If one of the files is missing, or the JSON does not say what the samples are.
        """
        meta = _read_meta(path.with_suffix(_META))
        data = path.with_suffix(_DATA)
        where = str(path.with_suffix(_META))
        form = str(meta.facts.get("core:datatype", ""))
        lies = SAMPLE_FORMS.get(form)
        if lies is None:
            raise CaptureReadError(
                f"core:datatype={form!r} is not read.", where=where, hint=f"Known are {', '.join(SAMPLE_FORMS)}."
            )
        rate = meta.facts.get("core:sample_rate")
        if not isinstance(rate, int | float) or not _SLOWEST_HZ <= rate < 1e12:
            raise CaptureReadError(f"core:sample_rate={rate!r}, expected samples a second.", where=where)
        with file_errors_as(CaptureReadError):
            size = check_readable(data).st_size
        step = lies.size
        if size % step:
            report.add_problem(f"byte {size // step * step}", "the file of samples ends inside a sample")
        if size < step:
            raise CaptureReadError("there are no samples.", where=str(data))
        shape = (size // step, 2) if lies.parts == 2 else (size // step,)
        with file_errors_as(CaptureReadError), open_file(data) as file:
            values = np.memmap(file, np.dtype(lies.dtype), "r", 0, shape)
        samples = Samples(values, float(rate), lies.scale, lies.offset)
        facts = [("sample rate", f"{rate:g} Hz"), ("samples", form)]
        zero, tuned = _first_capture(meta, report)
        if tuned is not None:
            facts.insert(0, ("tuned to", f"{tuned / 1e6:.6g} MHz"))
        name = "I/Q" if lies.parts == 2 else "signal"
        return LineRecording(
            "SigMF", (Channel(name, samples),), zero, _annotations(meta, samples, report), tuple(facts)
        )


LINES = SigMf()


def _read_meta(path: Path) -> _Meta:
    try:
        with file_errors_as(CaptureReadError):
            data = read_file(path, _MAX_META)
        return msgspec.json.decode(data, type=_Meta)
    except (msgspec.DecodeError, ValueError, RecursionError) as error:
        wrong = faults_in(data, _Meta) or [str(error)]
        raise CaptureReadError.of("the description is damaged", wrong, where=str(path)) from error


def _first_capture(meta: _Meta, report: ReadReport) -> tuple[int | None, float | None]:
    """Return when the recording began and what it was tuned to, as far as it says."""
    if not meta.captures:
        return None, None
    first = meta.captures[0]
    if len(meta.captures) > 1:
        report.add_problem("captures", f"{len(meta.captures)} segments; the times go on from the first")
    tuned = first.get("core:frequency")
    zero = None
    try:
        date = datetime.fromisoformat(str(first["core:datetime"]).replace("Z", "+00:00"))
        date = date if date.tzinfo else date.replace(tzinfo=UTC)
        zero = round(date.timestamp() * 1e6) * 1000
    except (KeyError, ValueError, OverflowError):
        pass
    return zero, float(tuned) if isinstance(tuned, int | float) else None


def _annotations(meta: _Meta, samples: Samples, report: ReadReport) -> tuple[Annotation, ...]:
    found = []
    for number, entry in enumerate(meta.annotations[:_MOST_ANNOTATIONS]):
        start, count = entry.get("core:sample_start"), entry.get("core:sample_count", 0)
        if not isinstance(start, int) or not isinstance(count, int) or not 0 <= start <= len(samples) or count < 0:
            report.add_problem(f"annotations[{number}]", "its place lies outside the recording")
            continue
        text = str(entry.get("core:label") or entry.get("core:comment") or entry.get("core:description") or "noted")
        found.append(Annotation(samples.time_of(start), samples.time_of(min(start + count, len(samples))), text[:200]))
    return tuple(sorted(found, key=lambda item: item.first_ns))
