"""The strip over the desks: the whole recording, what is marked in it, and the part that is looked at."""

from .scale import NAMES_WIDTH
from .strip import Strip

__all__ = ["NAMES_WIDTH", "Strip"]
