"""Where drummers put what a variation adds: what they never do, and odds for the rest. Rules of thumb of the trade."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from functools import cached_property

from easy_pocket.core.ideas.change import Change
from easy_pocket.core.pattern.backbeat import backbeat
from easy_pocket.core.pattern.pattern import Hit, Pattern

SOFTEST_GHOST, LOUDEST_GHOST = 18, 45
GHOST_VOICES = ("snare", "rim", "conga_high", "clap")
SIXTEENTH, EIGHTH = 240, 480
GHOSTS_A_BAR = ((110.0, 5), (130.0, 4), (1e9, 2))  # up to a tempo in bpm, the most of them
FOOT_RUN = 3  # kicks in a row in 16ths, at the most
FOOT_RUN_BPM = 110.0  # above this tempo
EVERY_BEAT = 0.75  # of the beats with a kick: music with four to the bar
BESIDE, BEFORE_KICK, ANSWERING, INTO_BAR, ELSEWHERE = 4.0, 3.0, 3.0, 2.0, 0.7
AGAINST = 0.3  # an accent that turns what beats and off-beats usually are


class Placement:
    """Rules for one stretch of a beat, as it is before anything changes."""

    def __init__(self, pattern: Pattern, begin: int, end: int, tempo_bpm: float) -> None:
        self.pattern, self.begin, self.end, self.tempo_bpm = pattern, begin, end, tempo_bpm

    @cached_property
    def _held(self) -> frozenset[Hit]:
        return frozenset(backbeat(self.pattern))

    @cached_property
    def backbeats(self) -> frozenset[int]:
        return frozenset(hit.tick for hit in self._held)

    @cached_property
    def kicks(self) -> frozenset[int]:
        return frozenset(hit.tick for hit in self.pattern.hits if hit.voice == "kick")

    @cached_property
    def four_to_the_bar(self) -> bool:
        beats = range(-(-self.begin // self.pattern.metre.pulse_ticks) * self.pattern.metre.pulse_ticks, self.end,
                      self.pattern.metre.pulse_ticks)  # fmt: skip
        return bool(beats) and sum(tick in self.kicks for tick in beats) >= EVERY_BEAT * len(beats)

    @property
    def ghosts_a_bar(self) -> int:
        return next(count for most_bpm, count in GHOSTS_A_BAR if self.tempo_bpm <= most_bpm)

    @cached_property
    def off_beats(self) -> frozenset[int]:
        """Places between beats where a drum is struck, counted from the bar: the rhythm that is the beat's own."""
        metre = self.pattern.metre
        struck = (hit for hit in self.pattern.hits if hit.voice in ("kick", *GHOST_VOICES))
        return frozenset(
            hit.tick for hit in struck if hit.velocity > LOUDEST_GHOST and hit.tick % metre.pulse_ticks != 0
        )

    def echoed(self, tick: int) -> int | None:
        """Where the beat itself has an off-beat stroke half a bar or a bar away, or None."""
        bar = self.pattern.metre.bar_ticks
        half = bar // 2 if bar // 2 % self.pattern.metre.pulse_ticks == 0 else bar
        return next((tick + by for by in (-half, half, -bar, bar) if tick + by in self.off_beats), None)

    def kick_odds(self, tick: int) -> float:
        """How likely a kick is added here: mostly a 16th before or an 8th after a backbeat, never on one."""
        if tick in self.backbeats and not self.four_to_the_bar:
            return 0.0
        if self.echoed(tick) is not None:
            return ANSWERING + (BESIDE if self._beside_backbeat(tick) else 0.0)
        if self._beside_backbeat(tick):
            return BESIDE
        return INTO_BAR if (tick + SIXTEENTH) % self.pattern.metre.bar_ticks == 0 else ELSEWHERE

    def _beside_backbeat(self, tick: int) -> bool:
        return tick + SIXTEENTH in self.backbeats or tick - EIGHTH in self.backbeats

    def ghost_odds(self, tick: int) -> float:
        """How likely a ghost is here: most beside a backbeat and before a kick, none on it or a 32nd from it."""
        nearest = min((abs(tick - beat) for beat in self.backbeats), default=10 * EIGHTH)
        if nearest <= SIXTEENTH // 2:
            return 0.0
        if nearest <= SIXTEENTH:
            return BESIDE
        return BEFORE_KICK if tick + SIXTEENTH in self.kicks else ELSEWHERE

    def within_rules(self, offered: Iterable[Change]) -> list[Change]:
        """The changes of a list that keep the rules, alone and whichever of them are taken together.

        No kick on a backbeat, no more than three in a row in 16ths above 110 bpm, no ghost on a backbeat or a 32nd
        from it, and no more ghosts in a bar than the tempo has room for.
        """
        bar = self.pattern.metre.bar_ticks
        kicks = set(self.kicks)
        ghosts = Counter(hit.tick // bar for hit in self.pattern.hits if _is_ghost(hit))
        kept = []
        for change in offered:
            if not change.come:
                kept.append(change)
                continue
            new_kicks = {hit.tick for hit in change.come if hit.voice == "kick"} - self.kicks
            new_ghosts = [hit.tick for hit in change.come if _is_ghost(hit) and hit not in change.gone]
            with_them = kicks | new_kicks if new_kicks else kicks
            if any(self.kick_odds(tick) == 0 or not self._foot_can(tick, with_them) for tick in new_kicks):
                continue
            if any(self.ghost_odds(tick) == 0 for tick in new_ghosts):
                continue
            come = Counter(tick // bar for tick in new_ghosts) if new_ghosts else {}
            if any(ghosts[number] + count > self.ghosts_a_bar for number, count in come.items()):
                continue
            kicks = with_them
            ghosts.update(come)
            kept.append(change)
        return kept

    def _foot_can(self, tick: int, kicks: set[int]) -> bool:
        if self.tempo_bpm <= FOOT_RUN_BPM:
            return True
        run = 1
        for step in (-SIXTEENTH, SIXTEENTH):
            at = tick + step
            while at in kicks:
                run, at = run + 1, at + step
        return run <= FOOT_RUN

    def keeps_backbeat(self, change: Change) -> bool:
        """Whether no hit of the backbeat goes, moves, is given away or becomes softer."""
        return not any(hit in self._held for hit in change.gone)


def _is_ghost(hit: Hit) -> bool:
    return hit.voice in GHOST_VOICES and hit.velocity <= LOUDEST_GHOST
