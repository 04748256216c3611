"""Parts that several desks use. Each takes the session first and follows its events."""
