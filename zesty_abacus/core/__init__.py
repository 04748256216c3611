"""Computation and storage. Nothing here knows about windows."""
