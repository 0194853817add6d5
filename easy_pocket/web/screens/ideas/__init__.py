"""Ideas: fills, variations, growing, rolls, build-ups."""
