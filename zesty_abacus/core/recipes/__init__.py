"""Recipes: how a recording becomes frames, as a value that is kept, matched, proposed and run."""
