"""The Unravel desk: how bits live, every way to read a selection, and keeping the right one."""
