"""What a capture means: which layouts read which frames of it, how much of it they explain, and what differs."""
