"""The Intake desk: sources, what came out of them, and their problems."""
