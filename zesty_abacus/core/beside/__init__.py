"""The same thing twice: one message on several lanes, or two messages, matched frame by frame and compared."""
