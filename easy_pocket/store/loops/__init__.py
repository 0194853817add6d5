"""Audio loops of a song, what was found in them, and loops layered under a pattern."""
