"""Takes: what is played in, laid on the slots, sewn together, and what it says about the player's hand."""
