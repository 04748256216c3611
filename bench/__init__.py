"""Measurements, each a ratio or a time taken in one run on one machine; never a test."""
