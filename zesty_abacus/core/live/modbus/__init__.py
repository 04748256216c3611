"""Modbus live: a client that asks, and a device that answers (Modbus Application Protocol V1.1b3)."""
