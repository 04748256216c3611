"""Recipes backwards: frames become the waves that a recipe would read as these frames."""
