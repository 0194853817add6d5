"""What every edit of a pattern is: a small value with the rule it carries out and its words for the undo list.

A new kind is one class: `class Wipe(PatternEdit, kind="wipe")` with its fields, `applied` and `words`. One that lacks
either fails when it is imported. The fields carry their bounds, which are checked while a request is read.
"""

from __future__ import annotations

from typing import Annotated, ClassVar

from annotated_types import Ge, Le, MaxLen, MinLen

from easy_pocket.core.pattern.pattern import Pattern

MAX_CHOSEN = 30_000
Voice = Annotated[str, MinLen(1), MaxLen(30)]
Word = Annotated[str, MaxLen(20)]
Tick = Annotated[int, Ge(0), Le(2_000_000)]
AnyTick = Annotated[int, Ge(-4_000_000), Le(4_000_000)]
Count = Annotated[int, Ge(-100_000), Le(100_000)]  # the rules themselves say what is allowed, in words
Seed = Annotated[int, Ge(0), Le(2**31)]
Number = Annotated[float, Ge(-1e9), Le(1e9)]
Place = tuple[Voice, Tick]
Places = Annotated[tuple[Place, ...], MinLen(1), MaxLen(MAX_CHOSEN)]


class PatternEdit:
    """Raises EditRefusedError or BadValueError when it does not fit, and changes nothing then."""

    kind: ClassVar[str]
    kinds: ClassVar[dict[str, type[PatternEdit]]] = {}
    minds_locks: ClassVar[bool] = True  # whether it is refused where it would change what is locked

    def __init_subclass__(cls, kind: str) -> None:
        for needed in ("applied", "description"):
            if needed not in cls.__dict__:
                raise TypeError(f"the edit {cls.__name__} has no '{needed}': it needs a rule and a description")
        if kind in PatternEdit.kinds:
            raise TypeError(f"two edits are called '{kind}': {cls.__name__} needs another name")
        cls.kind = kind
        PatternEdit.kinds[kind] = cls

    def applied(self, pattern: Pattern) -> Pattern:
        """The pattern after the edit."""
        raise NotImplementedError

    def description(self, pattern: Pattern) -> str:
        """What it does, for the undo list; `pattern` is the one before it."""
        raise NotImplementedError
