"""The files of a project in structured text: one of types, functions and blocks, and a block that tries them."""

from __future__ import annotations

from ..carried import LeftOut, carry
from ..errors import CannotCarryError
from ..language import Made
from ..manifest import Manifest, ManifestMessage, MessageNames
from ..project import Project
from .message import FORMS, MessageWriter
from .routine import comment
from .runtime import NAMES, helpers_for
from .trial import trial_block
from .types import raw_type

LANGUAGE = "structured-text"
RESULTS = ("ok", "too_short", "check_failed", "other_shape", "does_not_fit")
RESERVED = ("result", "test", *RESULTS, *NAMES)
"""What is called so behind the prefix; letters of either case are the same in this language."""


def make(project: Project) -> Made:
    """Return the files of a project in structured text."""
    messages, left_out = carry(project.layouts, FORMS, project.others, reserved=RESERVED)
    prefix = project.prefix
    writers: list[MessageWriter] = []
    body: list[str] = []
    for message in messages:
        writer = MessageWriter(message, prefix)
        try:
            body += writer.lines()
        except CannotCarryError as error:
            left_out.append(LeftOut(message.layout.name, str(error)))
            continue
        writers.append(writer)
    results = [f"        {prefix}_{word} := {number}," for number, word in enumerate(RESULTS)]
    results[-1] = results[-1].rstrip(",")
    head = [f"(* {comment(project.head)} *)", "", "TYPE", f"    {prefix}_result : (", *results, "    );", "END_TYPE"]
    lines = [*head, *helpers_for("\n".join(body), prefix), *body, ""]
    files = {f"{prefix}.st": "\n".join(lines), f"{prefix}_test.st": trial_block(project, writers)}
    return Made(files, _manifest(project, writers, left_out))


def _manifest(project: Project, writers: list[MessageWriter], left_out: list[LeftOut]) -> Manifest:
    prefix = project.prefix
    return Manifest.of(
        project.origin, language=LANGUAGE, prefix=prefix, headers=(), sources=(f"{prefix}.st",),
        results={word: f"{prefix}_{word}" for word in RESULTS},
        messages=tuple(_message(writer) for writer in writers), left_out=tuple(left_out),
    )  # fmt: skip


def _message(writer: MessageWriter) -> ManifestMessage:
    terms = writer.terms
    names = MessageNames(
        struct=terms.name, unpack=f"{terms.name}_unpack", pack=f"{terms.name}_pack", value=terms.value_name,
        has=terms.has_name,
        raw_type=lambda one: raw_type(one) if one.is_number else f"ARRAY[0..{one.length - 1}] OF BYTE",
    )  # fmt: skip
    unit = "WORD" if terms.unit_bytes == 2 else "BYTE"
    return ManifestMessage.of(writer.message, names, data=f"ARRAY[0..{terms.room // terms.unit_bytes - 1}] OF {unit}")
