"""Layouts compiled to plans: bits to values and back."""
