"""Song: parts by sections."""
