"""Checks: what must agree in a frame before its values may be believed. One module a check."""
