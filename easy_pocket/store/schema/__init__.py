"""The tables, their migrations, and which version a database has."""
