"""Python: a module of dataclasses and array functions that needs NumPy and nothing else."""
