"""What leaves the program: frames and decoded values as tables."""
