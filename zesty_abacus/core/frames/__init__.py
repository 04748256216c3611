"""Recorded frames as columns: the capture, its lanes, its kinds, and what can be counted about them."""
