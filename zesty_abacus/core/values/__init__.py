"""Values over time: what they do in view, and how they compare with what an instrument said."""
