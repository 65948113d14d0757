"""Which string each pitch belongs to: nearest, beam search, timbre."""
