"""Structured text of IEC 61131-3 (2013): a type, functions and two function blocks a message."""
