"""The undo log, and the songs that share a kit or a groove."""
