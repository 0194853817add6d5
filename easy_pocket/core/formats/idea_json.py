"""An idea as plain JSON values: for the command line and for programs."""

from __future__ import annotations

from typing import Any

from easy_pocket.core.ideas.change import Idea
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import place_name


def idea_doc(idea: Idea) -> dict[str, Any]:
    """An idea with every change in data and words."""
    return {
        "kind": idea.kind,
        "words": idea.words,
        "tags": list(idea.tags),
        "seed": idea.seed,
        "facts": idea.facts,
        "changes": [
            {
                "kind": change.kind,
                "words": change.words,
                "gone": [_hit_doc(hit, idea.before) for hit in change.gone],
                "come": [_hit_doc(hit, idea.before) for hit in change.come],
            }
            for change in idea.changes
        ],
    }


def _hit_doc(hit: Hit, pattern: Pattern) -> dict[str, object]:
    return {
        "voice": hit.voice,
        "tick": hit.tick,
        "place": place_name(hit.tick, pattern.metre),
        "velocity": hit.velocity,
        "offset_ms": hit.offset_ms,
    }
