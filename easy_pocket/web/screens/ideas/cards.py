"""Ideas as cards, and as what the page keeps of them to hear, put in, mix and pin."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from easy_pocket.core.ideas.build_up import Stage
from easy_pocket.core.ideas.change import Change, Idea
from easy_pocket.core.ideas.grow import Grown
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.voices import voice_name
from easy_pocket.core.text import counted
from easy_pocket.store.ideas.log import change_to_doc
from easy_pocket.web.screens.ideas.picture import Picture, picture
from easy_pocket.web.screens.ideas.shapes import IdeaData

BEFORE_BEATS = 2  # a fill is shown with so many beats before it, and a half after
MOST_SHOWN = 600  # changes of an idea that are listed


@dataclass(frozen=True)
class Card:
    """One card: an idea, or a bar or stage of one. of: the idea's place in the batch. bar: one that can be drawn
    again."""

    title: str
    of: int
    words: str
    tags: tuple[str, ...]
    picture: Picture
    bar: int | None = None
    wide: bool = False  # its tags have room beside its title
    changes: tuple[int, ...] = ()  # those of its idea that are its own; none for all


def idea_doc(idea: Idea, begin: int, end: int, stages: Sequence[tuple[str, int]] = ()) -> IdeaData:
    """begin, end: the ticks it is about, in the pattern with the idea."""
    added = sum(len(change.come) for change in idea.changes)
    removed = sum(len(change.gone) for change in idea.changes)
    return {
        "kind": idea.kind,
        "key": idea.key,
        "words": idea.words,
        "tags": list(idea.tags),
        "traits": list(idea.traits),
        "seed": idea.seed,
        "length_ticks": idea.length_ticks,
        "changes": [change_to_doc(change) for change in idea.changes],
        "begin": begin,
        "end": end,
        "stages": [{"name": name, "bars": bars} for name, bars in stages],
        "line": f"adds {added} hit{'s' if added != 1 else ''}, takes {removed} away",
    }


def fill_cards(ideas: Sequence[Idea], begin: int, end: int, step: int) -> list[Card]:
    """Fills (or rolls, or whatever has a window): what is before it, and a little after."""
    if not ideas:
        return []
    pattern = ideas[0].before
    pulse = pattern.metre.pulse_ticks
    shown = max(0, begin - BEFORE_BEATS * pulse), end
    wraps = end >= pattern.length_ticks
    cards = []
    for number, idea in enumerate(ideas):
        changes = _unwrapped(idea.changes, pattern.length_ticks) if wraps else list(idea.changes)
        drawn = picture(pattern, changes, shown[0], shown[1] + pulse // 2, window=(begin, end), step=step)
        cards.append(Card(str(number + 1), number, idea.words, idea.tags, drawn))
    return cards


def _unwrapped(changes: Sequence[Change], length: int) -> list[Change]:
    """What comes on the pattern's first tick, where it goes round, drawn after its end."""
    return [
        replace(change, come=tuple(replace(hit, tick=length) if hit.tick == 0 else hit for hit in change.come))
        if any(hit.tick == 0 for hit in change.come)
        else change
        for change in changes
    ]


def span_cards(ideas: Sequence[Idea], begin: int, end: int, step: int) -> list[Card]:
    """Variations and borrowed lines: all the bars they are about."""
    return [
        Card(
            str(number + 1), number, idea.words, idea.tags,
            picture(idea.before, idea.changes, begin, end, step=step), wide=True,
        )
        for number, idea in enumerate(ideas)
    ]  # fmt: skip


def grown_cards(done: Grown, step: int) -> list[Card]:
    """A card for every bar; one that is as it is cannot be drawn again."""
    idea = done.idea
    bar = idea.before.metre.bar_ticks
    voices = sorted({hit.voice for hit in idea.pattern().hits})
    cards = []
    for plan in done.plan:
        begin = (plan.bar - 1) * bar
        drawn = picture(idea.before, idea.changes, begin, begin + bar, step=step, voices=voices)
        kind = {"copy": f"as bar {plan.from_bar}, but", "bigger": "a bigger change", "fill": "a fill"}.get(
            plan.kind, ""
        )
        if plan.kind in ("statement", "repeat", "answer", "lift"):
            kind = plan.kind
        elif kind == "a fill" and done.plan[0].kind == "statement":
            kind = "lift, a fill"
        can = plan.bar if plan.kind not in ("as it is", "statement", "repeat") else None
        cards.append(Card(f"bar {plan.bar}", 0, plan.words, (kind,) if kind else (), drawn, can, changes=plan.changes))
    return cards


def stage_cards(idea: Idea, made: Sequence[Stage], step: int) -> list[Card]:
    pattern = idea.before
    length = idea.length_ticks // len(made)
    voices = sorted({hit.voice for hit in pattern.hits})
    cards = []
    for stage in made:
        alone = Pattern(length, tuple(stage.hits), pattern.metre)
        drawn = picture(alone, (), 0, length, step=step, voices=voices)
        tags = (f"energy {stage.energy:.1f}", counted(len(stage.hits), "hit"), f"{stage.percent:.0f} %")
        cards.append(Card(stage.name, 0, ", ".join(voice_name(voice) for voice in stage.voices), tags, drawn))
    return cards
