"""Patterns: time, hits, voices, and every edit of what is written."""
