"""Which string-like tone explains spectral peaks: two-way mismatch."""
