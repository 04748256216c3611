"""Readers and writers of recordings: one module a format, one registry that finds them."""
