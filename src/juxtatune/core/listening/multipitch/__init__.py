"""Several strings at once: matrix pencil, votes, presence, iterative cancellation."""
