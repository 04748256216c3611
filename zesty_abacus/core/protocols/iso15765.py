"""Messages of ISO 15765-2: identifiers as on the bus that carries them; an address byte stands behind them."""

from __future__ import annotations

from .can import Can
from .protocol import LARGEST_PAYLOAD


class Segmented(Can):
    """Messages of any length, by the identifier of their frames."""

    name, title = "iso15765", "ISO 15765-2"
    largest_payload = LARGEST_PAYLOAD
    payload_title = "message"


PROTOCOL = Segmented()
