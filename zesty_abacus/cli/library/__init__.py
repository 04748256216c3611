"""``zesty-abacus library``: what a library holds, its releases, agreement, and the people and places that share it."""

from . import agreement, content, notes, releases, sharing
from .options import library

__all__ = ["agreement", "content", "library", "notes", "releases", "sharing"]
