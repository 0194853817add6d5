"""Groove templates, open to every song."""
