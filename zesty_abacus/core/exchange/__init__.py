"""Layout files of open standards, read into layouts; what could not be carried over is listed with its place."""
