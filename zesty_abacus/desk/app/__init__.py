"""What all desks share: the session and its parts, work on threads, and the doors to core."""
