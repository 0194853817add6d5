"""Sounds: synthesized models, kits, what is played when, and the mix."""
