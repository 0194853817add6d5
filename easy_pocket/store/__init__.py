"""Keeping songs: MariaDB through SQLAlchemy, one repository per aggregate, every change in the undo log."""
