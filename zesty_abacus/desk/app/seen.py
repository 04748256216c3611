"""What looking at values over time needs from core, in one place; reached by the door ``seen`` only."""

from ...core.frames.decimate import Curve
from ...core.trial.content import HandReading, LaidOver
from ...core.trial.references import references_of
from ...core.values.pictures import array_picture, cloud, distances, histogram
from ...core.values.reference import Fit, ReferenceColumn, fit
from ...core.values.statistics import Statistics, statistics

__all__ = [
    "Curve",
    "Fit",
    "HandReading",
    "LaidOver",
    "ReferenceColumn",
    "Statistics",
    "array_picture",
    "cloud",
    "distances",
    "fit",
    "histogram",
    "references_of",
    "statistics",
]
