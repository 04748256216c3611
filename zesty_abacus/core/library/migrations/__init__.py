"""Migrations of the library's tables, oldest first; each is written once and never changed."""
