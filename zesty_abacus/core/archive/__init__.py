"""Archives: catalogues of many recordings, and work on them cut into pieces for many processes."""
