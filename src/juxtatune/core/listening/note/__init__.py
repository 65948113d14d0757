"""One note end to end: fusion of estimates, reported pitch, octave."""
