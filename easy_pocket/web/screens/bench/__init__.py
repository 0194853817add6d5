"""The Bench: write a pattern and give it a feel."""
