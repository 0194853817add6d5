"""Listening to audio: onsets, then tempo and bars, then a groove template."""
