"""What is wrong in a capture: faults of lines, messages, answers and values, each with where it is and how bad."""
