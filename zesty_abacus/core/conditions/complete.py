"""What may come next while a condition is typed."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from ..expressions.expression import quoted
from .bind import UNITS, Known
from .facts import CHECKS, NUMBERS, TEXTS, WAYS
from .functions import FLAG_WORDS, FUNCTIONS
from .items import EachItem
from .values import FieldValue

_MOST = 12
_JOINING = ("and ", "or ", "then ")
_TEXT = re.compile(r'"([^"]*)$')
_COMPARED = re.compile(r"(`[^`]+`|[^\W\d]\w*(?:\.(?:`[^`]+`|[^\W\d]\w*))?)\s*[=!]=\s*$")
_CALLED = re.compile(r"(after|flag)\(\s*$")
_UNIT = re.compile(r"(?<![\w.`])(?:\d+(?:\.\d*)?)[ \t]+([^\W\d]+)$|(?<![\w.`])(?:\d+(?:\.\d*)?)([^\W\d_]+)$")
_QUOTED = re.compile(r"((?:[^\W\d]\w*\.)?`[^`]*)$")
_WORD = re.compile(r"((?:[^\W\d]\w*\.)?(?:[^\W\d]\w*)?)$")


@dataclass(frozen=True, slots=True)
class Offer:
    """What may stand in the place of the letters from ``start`` on."""

    start: int
    words: tuple[str, ...]


def offers(before: str, known: Known, here: Sequence[str] = ()) -> Offer:
    """Return what may come next.

    Parameters
    ----------
    before
        What stands before the cursor.
    here
        Names of fields that frames of this capture have; they go first.
    """
    text = _TEXT.search(before)
    if text is not None and before.count('"') % 2:
        start = text.start()
        return Offer(start, _first(text[1], _texts_after(before[:start], known), '"{}"'))
    unit = _UNIT.search(before)
    if unit is not None:
        group = 1 if unit[1] is not None else 2
        return Offer(unit.start(group), _first(unit[group], (*UNITS, *_JOINING)))
    if _COMPARED.search(before) or _CALLED.search(before):
        return Offer(len(before), _first("", _texts_after(before, known), '"{}"'))
    # a name in back quotes is still open where their number is odd
    word = (_QUOTED if before.count("`") % 2 else _WORD).search(before)
    typed = word[0] if word is not None else ""
    start = len(before) - len(typed)
    if "." in typed:
        message, _, field = typed.partition(".")
        names = [one.name for layout in known.layouts if layout.name == message for one in layout.named_items()]
        return Offer(start + len(message) + 1, _first(field.strip("`"), map(quoted, names)))
    if not typed and before.strip() and not re.search(r"(\band|\bor|\bnot|\bthen|\(|,|[-+*/<>=])\s*$", before):
        return Offer(len(before), _JOINING if before.endswith(" ") else ())
    return Offer(start, _first(typed.strip("`"), _names(known, here)))


def _names(known: Known, here: Sequence[str]) -> Iterator[str]:
    yield from map(quoted, here)
    yield from (*TEXTS, *NUMBERS, "unanswered")
    yield from (f"{name}(" for name in (*FUNCTIONS, "at", "raw"))
    yield from map(quoted, sorted(known.field_names))


def _texts_after(before: str, known: Known) -> Iterable[str]:
    """Return the texts that what stands before can be compared with, or called with."""
    called = _CALLED.search(before)
    if called is not None:
        return sorted({one.text for one in known.moments}) if called[1] == "after" else FLAG_WORDS
    compared = _COMPARED.search(before)
    if compared is None:
        return ()
    facts = {"lane": known.lanes, "message": sorted(known.messages), "way": WAYS, "check": CHECKS}
    if compared[1] in facts:
        return facts[compared[1]]
    message, _, name = compared[1].rpartition(".")
    names = name.strip("`"), message.strip("`") or None
    having = known.having(FieldValue(*names)) or known.having(EachItem(*names))
    return dict.fromkeys(named.label for _, field in having for named in field.called)


def _first(typed: str, words: Iterable[str], form: str = "{}") -> tuple[str, ...]:
    """Return the first words that begin with what was typed, then those that have it inside."""
    wanted = typed.lower()
    known = list(dict.fromkeys(word for word in words if word))
    begin = [word for word in known if word.lstrip("`").lower().startswith(wanted)]
    inside = [word for word in known if wanted and wanted in word.lower() and word not in begin]
    return tuple(form.format(word) for word in (*begin, *inside)[:_MOST])
