"""The library as a whole: its layouts, what is proposed, releases, recordings, and the people who share it."""
