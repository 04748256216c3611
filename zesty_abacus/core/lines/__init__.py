"""From samples to edges, from edges to bits, bytes and frames: one module a line code."""
