"""Lower bounds: costs to go, relaxations, decomposition by guitar."""
