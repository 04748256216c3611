"""Line codes that are drawn, one a module; a module takes part by having ``DRAWS`` (see :mod:`..registry`)."""
