"""The forms in which tables leave, one module a form, which offers ``FORM`` and ``write``."""
