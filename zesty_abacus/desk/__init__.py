"""The window: PyQt6 views over core. Nothing below this package knows Qt."""
