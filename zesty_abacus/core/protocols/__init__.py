"""What lanes speak, one module a protocol: how its addresses are written, asked for, packed and matched."""
