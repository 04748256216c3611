"""Which fields a payload is made of: runs of bits, weighed, and the tiling that says all changes in the fewest bits."""
