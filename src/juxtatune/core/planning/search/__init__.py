"""Upper bounds: beam search, annealing, large neighbourhoods, local search."""
