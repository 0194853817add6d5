"""People: accounts, who is signed in, what is whose, what is shared."""
