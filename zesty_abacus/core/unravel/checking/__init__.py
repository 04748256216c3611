"""Solves checks: which function of which bytes some bits are."""
