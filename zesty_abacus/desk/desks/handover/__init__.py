"""The Hand over desk: what goes out; for now, frames and decoded values as tables."""
