"""One question a module."""
