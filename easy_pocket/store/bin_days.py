"""How long what was taken away can be brought back."""

from __future__ import annotations

import os
from datetime import UTC, datetime, timedelta

SETTING, USUAL, MOST = "EASY_POCKET_BIN_DAYS", 30, 3650


def bin_days() -> int:
    """Days; what the setting cannot be counts as not set."""
    value = os.environ.get(SETTING, "")
    return int(value) if value.isdecimal() and 1 <= int(value[:6]) <= MOST else USUAL


def kept_since() -> datetime:
    """What was taken away before this moment waited long enough."""
    return datetime.now(UTC).replace(tzinfo=None) - timedelta(days=bin_days())
