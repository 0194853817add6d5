"""Kit: voices, layers and the library of sounds."""
