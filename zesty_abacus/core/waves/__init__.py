"""Recordings of lines: channels of samples or of edges, before anybody says what they speak."""
