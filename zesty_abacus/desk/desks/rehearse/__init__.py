"""The Rehearse desk: buses connected live, messages composed and sent, written rehearsals run."""
