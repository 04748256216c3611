"""WAV files: 8, 16, 24 and 32-bit samples and 32 and 64-bit floats of any number of channels, mapped as they lie.

The form is RIFF/WAVE with a ``fmt `` and a ``data`` chunk (Multimedia Programming Interface and Data Specifications
1.0, 1991), with the extensible format tag of later years.
"""

from __future__ import annotations

import os
import struct
from pathlib import Path

import numpy as np

from ..files.errors import file_errors_as
from ..files.reading import open_file
from ..progress import Progress
from ..waves.recording import Channel, LineRecording
from ..waves.samples import CHUNK, Samples
from .columns import Columns
from .report import CaptureReadError, ReadReport
from .spool import ColumnSpool

_PCM, _FLOAT, _EXTENSIBLE = 1, 3, 0xFFFE
_FORMS = {
    (_PCM, 8): "u1",
    (_PCM, 16): "<i2",
    (_PCM, 24): "",
    (_PCM, 32): "<i4",
    (_FLOAT, 32): "<f4",
    (_FLOAT, 64): "<f8",
}


class Wav:
    """Reader of WAV files."""

    name = "WAV"
    suffixes = (".wav",)

    def sniff(self, head: bytes, path: Path) -> bool:
        """Return whether the file begins as RIFF of the form WAVE."""
        return _begins_as_wav(head)

    def read(
        self, path: Path, folder: Path, columns: Columns | None, report: ReadReport, progress: Progress
    ) -> LineRecording:
        """Map the samples; 24-bit ones are widened once.

        Raises
        ------
        CaptureReadError
            If a chunk is missing, or the form of the samples is none of those read.
        """
        form, place, length = _chunks(path, report)
        tag, channels, rate, _, block, bits = form
        dtype = _FORMS.get((tag, bits))
        if dtype is None or not 1 <= channels <= 256 or rate == 0 or block != channels * bits // 8:
            raise CaptureReadError(
                f"format tag {tag} with {bits} bits, {channels} channels at {rate} Hz is not read.",
                where=str(path),
                hint="Whole numbers of 8, 16, 24, 32 bits and floats of 32, 64 are.",
            )
        frames = length // block
        if length % block:
            report.add_problem(f"byte {place + frames * block}", "the file ends inside a sample")
        if not frames:
            raise CaptureReadError("there are no samples.", where=str(path))
        if dtype:
            with open_file(path) as file:
                values: np.ndarray = np.memmap(file, np.dtype(dtype), "r", place, (frames, channels))
        else:
            values = _widen(path, place, frames, channels, folder, progress)
        scale, offset = (1.0, 0.0) if tag == _FLOAT else (1 / 128, -1.0) if bits == 8 else (2.0 ** (1 - bits), 0.0)
        made = []
        for number in range(channels):
            name = f"channel {number + 1}"
            made.append(Channel(name, Samples(values[:, number], float(rate), scale, offset)))
        return LineRecording("WAV", tuple(made), facts=(("sample rate", f"{rate} Hz"), ("bits", str(bits))))


LINES = Wav()


def _begins_as_wav(head: bytes) -> bool:
    return head[:4] == b"RIFF" and head[8:12] == b"WAVE"


def _chunks(path: Path, report: ReadReport) -> tuple[tuple[int, ...], int, int]:
    """Return the format, and place and length of the data."""
    form: tuple[int, ...] | None = None
    with file_errors_as(CaptureReadError), open_file(path) as file:
        size = os.fstat(file.fileno()).st_size
        if not _begins_as_wav(file.read(12)):
            raise CaptureReadError("the file does not begin as a WAV file does.", where=str(path))
        while True:
            at = file.tell()
            head = file.read(8)
            if len(head) < 8:
                break
            name, length = struct.unpack("<4sI", head)
            if name == b"fmt ":
                body = file.read(min(length, 64))
                if len(body) < 16:
                    break
                form = struct.unpack_from("<HHIIHH", body)
                if form[0] == _EXTENSIBLE and len(body) >= 26:
                    form = (struct.unpack_from("<H", body, 24)[0], *form[1:])
            elif name == b"data":
                if form is None:
                    raise CaptureReadError("the samples come before their format.", where=f"{path}, byte {at}")
                here = file.tell()
                if length > size - here:
                    # a recorder that was stopped hard leaves a length of nought or of nonsense
                    report.add_problem(f"byte {at + 4}", f"{length} bytes are announced, {size - here} are there")
                return form, here, min(length, size - here) or size - here
            file.seek(at + 8 + length + length % 2)
    raise CaptureReadError(f"the {'data' if form else 'format'} chunk is missing.", where=str(path))


def _widen(path: Path, place: int, frames: int, channels: int, folder: Path, progress: Progress) -> np.ndarray:
    with open_file(path) as file:
        raw = np.memmap(file, np.uint8, "r", place, (frames * channels, 3))
    with ColumnSpool(folder) as spool:
        for begin in range(0, len(raw), CHUNK):
            progress.step(begin / len(raw), "widening samples")
            part = raw[begin : begin + CHUNK].astype(np.int32)
            spool.append("samples", ((part[:, 0] | part[:, 1] << 8 | part[:, 2] << 16) << 8) >> 8)
        return spool.column("samples", np.int32).reshape(frames, channels)
