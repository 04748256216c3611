"""Parts: what a message holds behind or beside its fixed fields, when it moves. One module a part.

A layout begins with fixed fields, whose places count from the payload's first byte, and goes on with parts,
each behind the one before unless ``start`` says otherwise. In a part, places count from where the part, or
its item, starts.
"""
