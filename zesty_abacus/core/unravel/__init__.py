"""Findings about unknown bits; for now, every way to read a selection."""
