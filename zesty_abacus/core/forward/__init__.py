"""Readings forwarded: decoded values to other programs, in order, kept on disk until they are taken."""
