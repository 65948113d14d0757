"""Where something may begin: spectral flux and peak picking."""
