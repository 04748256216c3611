"""In which form payloads are shown: hex, decimal, binary, text, or each in what fits it."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QObject, pyqtSignal

PAYLOAD_FORMS = ("hex", "dec", "bin", "text")
FITTING = "fitting"
"""Text where frames are text, and hex elsewhere; what is shown until somebody asks for one form."""


class PayloadForm(QObject):
    """The form that is asked for, everywhere at once.

    ``asked`` is one of :data:`PAYLOAD_FORMS`, or :data:`FITTING`; ``changed`` says that it is another one.
    """

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.asked = FITTING

    def ask(self, form: str) -> None:
        """Show payloads in another form; the one that is shown, asked for again, gives what fits them."""
        self.asked = FITTING if form == self.asked else form
        self.changed.emit()


def shown_form(form: str, *, text: bool) -> str:
    """Return the form that bytes are written in, where ``fitting`` is text or hex by what they are."""
    if form != FITTING:
        return form
    return "text" if text else "hex"


def payload_texts(payload: bytes, form: str) -> list[str]:
    """Return each byte in a form: hex, dec, bin or text."""
    if form == "dec":
        return [f"{byte:3d}" for byte in payload]
    if form == "bin":
        return [f"{byte:08b}" for byte in payload]
    if form == "text":
        return [chr(byte) if 32 <= byte < 127 else "·" for byte in payload]
    return [f"{byte:02X}" for byte in payload]


def blank_between(form: str) -> str:
    """Return what stands between two bytes; those of a text stand together."""
    return "" if form == "text" else " "


def joined_texts(texts: Iterable[str], form: str) -> str:
    """Return bytes in one line."""
    return blank_between(form).join(texts)


def heading(what: str, form: str) -> str:
    """Return what stands above a column of bytes: what they are, and the form that somebody asked for."""
    return what if form == FITTING else f"{what} {form}"
