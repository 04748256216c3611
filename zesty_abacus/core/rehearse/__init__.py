"""Rehearse: what goes out, fed by values over time, alone or as a written sequence."""
