"""Whether an onset is a pluck: features and the decision."""
