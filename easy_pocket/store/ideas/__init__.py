"""Ideas: the log of those pinned, taken and dropped."""
