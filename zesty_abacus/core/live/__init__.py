"""Live: endpoints that frames come from and go to, recorded as they come."""
