"""Conditions: what is asked of frames, in the language of expressions grown by what a frame is."""
