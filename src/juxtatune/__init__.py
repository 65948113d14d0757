"""Juxtatune: retune guitars for a set."""
