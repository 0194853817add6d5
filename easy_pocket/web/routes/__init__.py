"""One file per screen."""
