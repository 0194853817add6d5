"""The Shelf: all songs."""
