"""Code from layouts: what a message carries, said once, and a language a module that writes it down."""
