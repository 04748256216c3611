"""The one door to files that a user names: what may be read, what may be replaced, what a database holds."""
