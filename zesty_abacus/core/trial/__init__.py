"""A trial on disk: its sources, lanes, moments and library, and the capture made from them."""
