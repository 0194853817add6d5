"""Takes of songs: every pass that was played in, and how they are sewn."""
