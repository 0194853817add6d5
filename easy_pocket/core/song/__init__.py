"""A song: independent parts, sections that say what each plays, joins between them, and all of it written out."""
