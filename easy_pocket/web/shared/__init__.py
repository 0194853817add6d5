"""What the screens share: requests, responses, the player's data, templates and scripts."""
