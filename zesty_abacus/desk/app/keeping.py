"""Making what was found a part of a layout: what it is called, in which scale it is, and why."""

from __future__ import annotations

from .doors import engine, found
from .findings import Findings
from .kinds import Kinds
from .overlays import Overlays
from .reading import Reading


class Keeping:
    """Makes findings of the open capture into layouts, which are then kept as any edit is."""

    def __init__(self, findings: Findings, reading: Reading, kinds: Kinds, overlays: Overlays) -> None:
        self._findings, self._reading, self._kinds, self._overlays = findings, reading, kinds, overlays

    def meant(self, kind: int, finding: found.Finding) -> found.Meant:
        """Return what a finding may be called and in which scale it is."""
        assert self._reading.meaning is not None, "what is found has a meaning"
        return found.meant(finding, self._findings.of(kind), self._overlays.references, self._reading.meaning)

    def offered(self, kind: int, finding: found.Finding) -> found.Meant:
        """Return the same, with a name in any case."""
        made = self.meant(kind, finding)
        if made.name:
            return made
        layout = self._kinds.layout_for_new_field(kind, "new")
        return found.Meant(found.offered_name(found.field_behind(finding, self._findings.of(kind)), layout))

    def with_one(
        self, kind: int, finding: found.Finding, name: str, unit: str, message: str
    ) -> tuple[engine.Layout, str]:
        """Return the layout of a kind with a finding in it, and why.

        Raises
        ------
        MisuseError
            If it cannot be kept there; the sentence says what is in the way.
        """
        layout = self._kinds.layout_for_new_field(kind, message)
        made = self.meant(kind, finding)
        whole = found.Meant(name, unit, made.ratio, made.offset)
        beside = self._findings.of(kind)
        behind = found.field_behind(finding, beside)
        return found.kept(layout, behind, name, whole, beside), f"{name} found at {finding.places}: {finding.reason}"

    def with_all_likely(self, kind: int, message: str) -> tuple[engine.Layout, int]:
        """Return the layout of a kind with everything likely in it, and how much that is."""
        layout = self._kinds.layout_for_new_field(kind, message)
        return found.all_kept(layout, self._findings.of(kind), found.LIKELY, lambda one: self.meant(kind, one))
