"""The command line, thin over core."""
