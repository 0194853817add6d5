"""Who may come in: the door before every request, signing in, people, links to songs."""
