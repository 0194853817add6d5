"""What somebody keeps and drops, learned: how much likelier each trait of an idea is kept, and how busy it may be.

For every trait a share of kept ones, smoothed so that a few choices say little; no more than that, so that it can be
told in a sentence.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

FEWEST = 4  # choices, before anything is made of them
DOUBT = 2.0  # choices a trait is thought to have had already, kept as often as any
LEAST_ODDS, MOST_ODDS = 0.12, 4.0
FADES = 0.9  # what each newer choice leaves of the weight of an older one
USUAL_STROKES = 3.6  # a beat, of fills nobody asked anything of
BEYOND = 0.5  # how far past what is kept one goes, away from what is dropped
FEWEST_STROKES, MOST_STROKES = 0.9, 9.0  # a beat, that are ever aimed at
TOLD = 3  # traits named at the most
STRONG = 1.35  # odds from which on a trait is named


@dataclass(frozen=True)
class Choice:
    """An idea that was kept or dropped, by its traits, as "ending=silence" or "strokes=2.5" (a beat)."""

    traits: tuple[str, ...]
    kept: bool


@dataclass(frozen=True)
class Taste:
    """What was learned of what is kept.

    odds: of traits, how much oftener they are kept than others; 1 where nothing is known. strokes: a beat, of what is
    kept; None where that says nothing. busier: by what the strokes of a fill are multiplied. count: of choices.
    """

    odds: Mapping[str, float] = field(default_factory=dict)
    strokes: float | None = None
    busier: float = 1.0
    count: int = 0

    @property
    def known(self) -> bool:
        return self.count >= FEWEST and (bool(self.odds) or self.busier != 1.0)

    def tilted(self, kind: str, odds: Mapping[str, float]) -> Mapping[str, float]:
        """Odds by name, moved toward what is kept; they add up to what they did."""
        if not self.known:
            return odds
        moved = {name: share * self.odds.get(f"{kind}={name}", 1.0) for name, share in odds.items()}
        total, was = sum(moved.values()), sum(odds.values())
        return {name: share * was / total for name, share in moved.items()} if total > 0 else odds

    def words(self) -> str:
        """What was learned, in a sentence."""
        if self.count < FEWEST:
            return f"{self.count} kept or dropped so far; from {FEWEST} on it counts."
        said = []
        ranked = sorted(self.odds.items(), key=lambda one: one[1])
        more = [_named(trait) for trait, odds in reversed(ranked) if odds >= STRONG][:TOLD]
        less = [_named(trait) for trait, odds in ranked if odds <= 1 / STRONG][:TOLD]
        if more:
            said.append(f"more: {', '.join(more)}")
        if less:
            said.append(f"less: {', '.join(less)}")
        if self.strokes is not None and abs(np.log(self.busier)) > 0.1:
            said.append(f"about {self.strokes:.2g} strokes a beat")
        return f"From {self.count} choices: {'; '.join(said) or 'nothing clear'}."


NO_TASTE = Taste()


def learned(choices: Sequence[Choice]) -> Taste:
    """Learn from choices, the oldest first.

    Parameters
    ----------
    choices
        What was kept and dropped, in the order in which it was.

    Returns
    -------
    Taste
        Odds of every trait that was seen, each the share of kept ones among those that have it (with two doubtful ones
        of the usual share) over the share among all, 0.12 to 4; and how busy what is kept is. Newer choices weigh more.

    Examples
    --------
    >>> likes = [Choice(("role=sparse", "strokes=2"), True), Choice(("role=busy", "strokes=5"), False)] * 4
    >>> taste = learned(likes)
    >>> taste.odds["role=sparse"] > 1.3, taste.odds["role=busy"] < 0.6, round(taste.strokes, 1)
    (True, True, 1.3)
    """
    if not choices:
        return NO_TASTE
    weights = FADES ** np.arange(len(choices))[::-1]
    kept = np.array([choice.kept for choice in choices])
    usual = (float(weights[kept].sum()) + 1.0) / (float(weights.sum()) + 2.0)
    seen: dict[str, list[int]] = {}
    for place, choice in enumerate(choices):
        for trait in choice.traits:
            if not trait.startswith("strokes="):
                seen.setdefault(trait, []).append(place)
    odds = {}
    for trait, places in seen.items():
        here, liked = weights[places], kept[places]
        share = (float(here[liked].sum()) + DOUBT * usual) / (float(here.sum()) + DOUBT)
        odds[trait] = float(np.clip(share / usual, LEAST_ODDS, MOST_ODDS))
    strokes, busier = _how_busy(choices, weights, kept)
    return Taste(odds, strokes, busier, len(choices))


def _how_busy(choices: Sequence[Choice], weights: np.ndarray, kept: np.ndarray) -> tuple[float | None, float]:
    """Strokes a beat of what is kept, and how far to follow them: not at all unless others were dropped."""
    strokes = np.array([_strokes_of(choice.traits) for choice in choices])
    good, bad = kept & (strokes > 0), ~kept & (strokes > 0)
    if not good.any() or not bad.any():
        return None, 1.0
    liked = float(np.average(strokes[good], weights=weights[good]))
    disliked = float(np.average(strokes[bad], weights=weights[bad]))
    sure = float(good.sum() / (good.sum() + 1.0)) * min(1.0, abs(np.log(liked / disliked)) / 0.25)
    aim = float(np.clip(liked * (liked / disliked) ** BEYOND, FEWEST_STROKES, MOST_STROKES))
    return aim, float((aim / USUAL_STROKES) ** sure)


def _strokes_of(traits: Iterable[str]) -> float:
    found = next((trait[8:] for trait in traits if trait.startswith("strokes=")), "0")
    try:
        value = float(found)
    except ValueError:
        return 0.0
    return value if 0 < value < 100 else 0.0


NAMES = {
    "role=answers": "answers",
    "role=silence": "with silence",
    "ending=hit4": "a hit on 4",
    "ending=crash": "crash next",
    "ending=silence": "silence",
    "ending=pickup": "pick-ups",
    "path=one": "one drum",
    "path=down": "down the drums",
    "path=up": "up the drums",
    "path=trade": "two drums that trade",
    "goes_on=yes": "a voice that goes on",
    "goes_on=no": "nothing that goes on",
    "moves=triplet": "triplets",
    "kind=kick": "kicks",
    "kind=ghost": "ghosts",
    "kind=hat_open": "open hats",
    "kind=sound": "other sounds",
    "kind=move": "moved hits",
    "kind=break": "breaks",
    "kind=lead_in": "lead-ins",
}


def _named(trait: str) -> str:
    kind, _, name = trait.partition("=")
    if kind == "moves" and name.isdigit():
        return f"{name}ths" if name != "32" else "32nds"
    return NAMES.get(trait, name.replace("_", " "))
