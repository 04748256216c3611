"""What commands that stand on a bus share."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO

from ..core.live.registry import lane_and_address

if TYPE_CHECKING:
    import pyarrow as pa

    from ..core.handover.stream import TableStream
    from ..core.layouts.model import Layout


def library_layouts(where: str, endpoints: Sequence[str] = ()) -> list[Layout]:
    """Return the layouts of a library, none without one.

    Where no endpoint is given the name of a lane, layouts are asked whatever lane they are for: who points a library at
    a bus means that its frames are these.
    """
    if not where:
        return []
    from ..core.live.watch import on_any_lane
    from .libraries import open_library

    library = open_library(where)
    layouts = library.layouts.states()
    library.close()
    return layouts if any(lane_and_address(text)[0] for text in endpoints) else on_any_lane(layouts)


@contextmanager
def rows_to(output: Path | None, force: bool, form: str, schema: pa.Schema, stream: BinaryIO) -> Iterator[TableStream]:
    """Give a table that grows, in a file or on standard output; it is finished however the block ends.

    Raises
    ------
    FileError
        If the file must not be written.
    """
    from ..core.files.errors import file_errors
    from ..core.files.writing import Target
    from ..core.handover.stream import TableStream

    if output is None or str(output) == "-":
        rows = TableStream(stream, form, schema)
        try:
            yield rows
        finally:
            rows.close()
        return
    Target(output, force).check()
    with file_errors(output, "the rows cannot be written"), output.open("wb") as file:
        rows = TableStream(file, form, schema)
        try:
            yield rows
        finally:
            rows.close()
