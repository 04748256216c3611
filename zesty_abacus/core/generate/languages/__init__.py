"""Languages; every module here, or of a package from outside, that has a ``LANGUAGE``."""
