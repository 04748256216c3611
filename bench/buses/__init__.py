"""Made-up buses of many makers with their truth beside them, on which findings are scored."""
