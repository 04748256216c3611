"""Compiled loops over bytes and bits; they know nothing of layouts, captures or files."""
