"""The Read desk: traces, frames in words, and every value at the cursor."""
