"""The data folder and the database in it: one running program at a time, or a command that borrows it."""
