"""Every edit of a pattern, and `apply_edit(pattern, edit)`, which all of them go through."""

from __future__ import annotations

from typing import Protocol

from easy_pocket.core.pattern import (
    hit_edits,
    length_edits,
    lock_edits,
    reverse_into,
    row_edits,
    selection_edits,
    shapes,
)
from easy_pocket.core.pattern.lock_edits import keep_locks
from easy_pocket.core.pattern.pattern import Pattern

FAMILIES = (
    hit_edits,
    row_edits,
    selection_edits,
    reverse_into,
    shapes,
    length_edits,
    lock_edits,
)  # importing one registers it


class Rule(Protocol):
    """An edit, or what else makes one pattern of another."""

    def applied(self, pattern: Pattern) -> Pattern: ...


def apply_edit(pattern: Pattern, edit: Rule) -> Pattern:
    """The pattern after the edit.

    Raises EditRefusedError (for what is locked, too) or BadValueError and changes nothing.
    """
    after = edit.applied(pattern)
    return keep_locks(pattern, after) if getattr(edit, "minds_locks", True) else after
