"""Which frame answers which: requests and answers put together."""
