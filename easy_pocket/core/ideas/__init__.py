"""Ideas: fills, variations, growing, rolls, build-ups. Each is a list of single changes, in words, undoable alone."""
