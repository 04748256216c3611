"""What looking at values over time needs from core, in one place; reached by the door ``seen`` only."""

from ...core.frames.decimate import Curve
from ...core.trial.content import HandReading
from ...core.trial.references import references_of
from ...core.values.reference import Fit, ReferenceColumn, fit
from ...core.values.statistics import Statistics, statistics

__all__ = [
    "Curve",
    "Fit",
    "HandReading",
    "ReferenceColumn",
    "Statistics",
    "fit",
    "references_of",
    "statistics",
]
