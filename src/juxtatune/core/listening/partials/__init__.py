"""Partials over time: heterodyning, audibility, decay."""
