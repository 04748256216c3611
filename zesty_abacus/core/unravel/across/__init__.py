"""Questions that look at all kinds at once, one a module; each is found by its ``QUESTION``."""
