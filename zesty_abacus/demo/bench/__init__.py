"""The simulated bench: the tug's physics run live, behind the same interface as a real bus."""
