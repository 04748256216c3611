"""Which beads a finding is about."""

from __future__ import annotations

from ...app.doors import found
from ...app.session import Session


def shown_bits(session: Session, kind: int, finding: found.Finding) -> frozenset[int]:
    """Return the bits of a finding in the frame at the cursor, whose size says where its last byte is."""
    at = session.store.frame_at(kind, None, session.clock.cursor_ns)
    size = len(at.payload) if at is not None else session.capture.kind_size(kind)
    return frozenset(found.bits_of(finding, size))
