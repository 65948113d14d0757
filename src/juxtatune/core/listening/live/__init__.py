"""Listening as sound comes in."""
