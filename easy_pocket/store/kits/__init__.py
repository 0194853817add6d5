"""Kits and the library of sounds."""
