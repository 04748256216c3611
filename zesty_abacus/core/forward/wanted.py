"""Which fields are forwarded, and what each is called on the other side."""

from __future__ import annotations

import re
from collections.abc import Iterable

from ..errors import MisuseError
from ..layouts.model import Layout
from ..nearest import nearest

_NAME = r"(?:`[^`]+`|[^`=,]+?)"
_ENTRY = re.compile(rf"\s*(?P<message>{_NAME})\s*\.\s*(?P<field>{_NAME})\s*=\s*(?P<key>[^,]+?)\s*(?:,|$)")


class Wanted:
    """Keys of fields.

    Parameters
    ----------
    keys
        By message and field; empty is all fields, called ``message.field``.
    """

    def __init__(self, keys: dict[tuple[str, str], str] | None = None) -> None:
        self._keys = keys or {}

    @classmethod
    def parse(cls, text: str) -> Wanted:
        """Read ``Motion.speed=v, Motion.`heading, true`=h``; an empty text is all fields.

        Raises
        ------
        MisuseError
            With what is no entry.
        """
        keys: dict[tuple[str, str], str] = {}
        at = 0
        while at < len(text):
            match = _ENTRY.match(text, at)
            if match is None:
                raise MisuseError(f"{text[at:][:40]!r} says no field and key.",
                                  hint="Write MESSAGE.FIELD=KEY, with back quotes around names with dots or commas."
                                  )  # fmt: skip
            field = match["message"].strip("`"), match["field"].strip("`")
            if match["key"] in keys.values() or field in keys:
                raise MisuseError(f"{match['key']!r} or its field is named twice.", hint="Give each field its own key.")
            keys[field] = match["key"]
            at = match.end()
        return cls(keys)

    def check(self, layouts: Iterable[Layout]) -> None:
        """Raise :class:`MisuseError` for a message or field that is not there."""
        known = {layout.name: {item.name for item in layout.named_items()} for layout in layouts}
        for message, field in self._keys:
            if message not in known:
                raise MisuseError(f"there is no message {message!r}.", hint=nearest(message, known))
            if field.rpartition(".")[2] not in known[message]:
                raise MisuseError(f"{message} has no field {field!r}.",
                                  hint=nearest(field, known[message]))  # fmt: skip

    def key_of(self, message: str, field: str) -> str | None:
        """Return what a field is called on the other side, None if it stays here."""
        return self._keys.get((message, field)) if self._keys else f"{message}.{field}"

    def takes(self, message: str) -> bool:
        """Return whether any field of a message is forwarded."""
        return not self._keys or any(one == message for one, _ in self._keys)

    def __repr__(self) -> str:
        return repr(sorted(self._keys.items()))
