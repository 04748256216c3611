"""What stands around the desks, or is part of several of them: it knows the session, and no desk."""
