"""What frames say, as columns of words: texts that no field gives, each kept once."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..codec.wording import frame_sentence
from ..reading.meaning import Meaning
from .columns import words_column
from .decoded_parts import decoded_parts


def sayings(meaning: Meaning, rows: NDArray[np.uint32]) -> tuple[pa.DictionaryArray, pa.DictionaryArray]:
    """Return for some frames which message each is, and what it says; nothing where no layout reads it."""
    messages: list[str] = []
    message = np.full(len(rows), -1, np.int32)
    says: dict[str, int] = {}
    said = np.full(len(rows), -1, np.int32)
    for _, reader, places, decoded in decoded_parts(meaning, rows, np.unique(meaning.capture.kinds_of(rows)).tolist()):
        message[places] = len(messages)
        messages.append(reader.layout.name)
        # frames that say the same share it
        said[places] = [says.setdefault(frame_sentence(decoded, row), len(says)) for row in range(len(places))]
    return words_column(message, messages), words_column(said, list(says))
