"""The operations of the language; every module here adds those in its ``OPERATIONS``."""
