"""The Layouts desk: beads and cards of a message, tried on the open capture, with its history."""
