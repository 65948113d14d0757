"""Signal processing that knows no string: rates, projections, rolling statistics, spectral peaks."""
