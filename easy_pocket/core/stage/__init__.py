"""Where sounds stand and how they hold together: chains, rooms, echo, limiter, and the mix of all of it."""
