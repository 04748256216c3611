"""Ways to other programs; every module here, or of a package from outside, that has an ``OPENS``."""
