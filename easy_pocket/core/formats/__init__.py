"""Files in and out: MIDI, audio, groove templates."""
