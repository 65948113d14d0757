"""The fundamental frequency of a pluck: phase lines, glide models, robust regression."""
