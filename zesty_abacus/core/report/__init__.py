"""A report: what a recording holds and how far it is understood, on one page that stands alone."""
