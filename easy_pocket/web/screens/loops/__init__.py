"""Loops: audio brought in, analyzed and corrected."""
