"""The demo: the Tidewater Parade's songs and loops, all made here."""
