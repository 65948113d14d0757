"""When a note ends, and how it dies away."""
