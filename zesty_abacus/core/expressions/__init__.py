"""Expressions over fields: their text, their operations, their exact value, their columns, their unit."""
