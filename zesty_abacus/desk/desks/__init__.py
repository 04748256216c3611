"""The desks, one package a desk; none knows another."""
