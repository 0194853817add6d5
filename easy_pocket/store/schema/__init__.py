"""The tables, their migrations, and which version a database has."""

from __future__ import annotations

from pathlib import Path

MIGRATIONS = Path(__file__).with_name("migrations")
