"""How a long computation reports its progress."""

from __future__ import annotations

from collections.abc import Callable

OnProgress = Callable[[float, str], None]  # the share done, 0-1, and what is being done; it may raise to stop the work


def no_progress(share: float, doing: str) -> None:
    """For callers who do not ask."""
