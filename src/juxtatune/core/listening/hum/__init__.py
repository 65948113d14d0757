"""Mains hum: tracked, taken out, and what is left of it."""
