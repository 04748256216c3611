"""Endpoints, one a module; a module takes part by having ``OPENS`` (see :mod:`..registry`)."""
