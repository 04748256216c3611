"""Registers of devices: which are looked at together, and what the numbers in them have to do with each other."""
