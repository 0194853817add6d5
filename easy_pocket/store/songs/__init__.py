"""Songs: loading them whole, their edits, and what is exported from them."""
