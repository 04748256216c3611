"""Zesty Abacus: count the bits once, together, with proof."""

__version__ = "0.1.0"
