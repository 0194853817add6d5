"""The Stage screen: where each sound stands, and how they hold together."""
