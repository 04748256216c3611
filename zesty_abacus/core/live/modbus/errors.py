"""What an exchange with a Modbus device can end in."""

from __future__ import annotations

from ...protocols.registry import protocol_named
from ..errors import EndpointError


class ExchangeError(EndpointError):
    """A request that brought no good answer."""


class NoAnswerError(ExchangeError):
    """Nothing came within the time allowed."""


class WrongAnswerError(ExchangeError):
    """Something came that does not answer this request."""


class RefusedError(ExchangeError):
    """The device answered with an exception.

    Attributes
    ----------
    code
    """

    def __init__(self, code: int, where: str = "") -> None:
        words = protocol_named("modbus").refusal_text(bytes((code,)))
        super().__init__(f"the device refuses: {words} (exception {code}).", where=where)
        self.code = code

    @property
    def is_about_the_place(self) -> bool:
        """Whether the device has not all of the registers that were asked for."""
        return self.code == ILLEGAL_ADDRESS


ILLEGAL_FUNCTION, ILLEGAL_ADDRESS, ILLEGAL_VALUE = 1, 2, 3
NO_PATH, TARGET_SILENT = 10, 11
