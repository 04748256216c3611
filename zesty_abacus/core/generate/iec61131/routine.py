"""A function or function block: its variables by section, and its statements."""

from __future__ import annotations

from dataclasses import dataclass, field

BODY = "    "


@dataclass(slots=True)
class Routine:
    """A function, or a function block where nothing is returned.

    Attributes
    ----------
    name
    returns
        Type of what a function returns, which is assigned to its name; empty of a block.
    said
        What it is for.
    inputs, in_outs, outputs, inside
        Declarations, such as ``size : UDINT``.
    body
        Statements.
    """

    name: str
    returns: str
    said: str = ""
    inputs: list[str] = field(default_factory=list)
    in_outs: list[str] = field(default_factory=list)
    outputs: list[str] = field(default_factory=list)
    inside: list[str] = field(default_factory=list)
    body: list[str] = field(default_factory=list)

    def lines(self) -> list[str]:
        """Return its lines."""
        word = "FUNCTION" if self.returns else "FUNCTION_BLOCK"
        lines = ["", f"(* {comment(self.said)} *)"] if self.said else [""]
        lines.append(f"{word} {self.name}{f' : {self.returns}' if self.returns else ''}")
        sections = (("VAR_INPUT", self.inputs), ("VAR_IN_OUT", self.in_outs), ("VAR_OUTPUT", self.outputs),
                    ("VAR", self.inside))  # fmt: skip
        for head, declared in sections:
            if declared:
                lines += [head, *(f"{BODY}{one};" for one in declared), "END_VAR"]
        return [*lines, *self.body, f"END_{word}"]


def indented(lines: list[str]) -> list[str]:
    """Return statements one step further in."""
    return [BODY + line for line in lines]


def under(conditions: list[str], lines: list[str], otherwise: list[str] | None = None) -> list[str]:
    """Return statements that run under conditions, or as they are without any."""
    if not conditions:
        return lines
    other = ["ELSE", *indented(otherwise)] if otherwise else []
    return [f"IF {joined(conditions)} THEN", *indented(lines), *other, "END_IF;"]


def joined(conditions: list[str]) -> str:
    """Return the condition that all of some hold."""
    return " AND ".join(conditions) or "TRUE"


def comment(text: str) -> str:
    """Return a text that a comment can hold; comments may nest, so none opens another."""
    return text.replace("(*", "( *").replace("*)", "* )").replace("\n", " ")
