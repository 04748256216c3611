"""The library: every revision of every layout, with who, when and why."""
