"""Messages of ISO 11783-3: identifiers of 29 bits as if the message had come in one frame."""

from __future__ import annotations

from .can import Can
from .protocol import LARGEST_PAYLOAD


class Groups(Can):
    """Messages by priority, group, receiver and sender."""

    name, title = "iso11783", "ISO 11783"
    digits = 8
    largest_payload = LARGEST_PAYLOAD
    payload_title = "message"


PROTOCOL = Groups()
