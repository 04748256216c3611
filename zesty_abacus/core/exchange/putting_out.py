"""Layouts written to a file, with a list beside it of what the format has no room for."""

from __future__ import annotations

from ..files.writing import Target, check_targets
from ..layouts.model import Layout
from ..origin import Origin, origin_target, write_origin
from ..progress import Progress
from .registry import WRITERS


def put_out_layouts(
    target: Target, form: str, layouts: list[Layout], origin: Origin, progress: Progress
) -> tuple[int, str]:
    """Write layouts to a file; return how many things had no room, and the name of the file that lists them."""
    progress.step(0.2, f"writing {target.path.name}")
    _, _, write = WRITERS[form]
    written = write(layouts)
    listed = target.beside(".left.txt")
    check_targets([target, origin_target(target), *([listed] if written.left else [])])
    target.write(written.data)
    if written.left:
        listed.write("".join(f"{left.place}: {left.reason}\n" for left in written.left).encode())
    write_origin(target, origin)
    return len(written.left), listed.path.name
