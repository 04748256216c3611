"""The simulator of the sea trial of the harbour tug *Yuzu*: all sample data come from here."""
