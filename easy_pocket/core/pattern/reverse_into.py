"""A sound that runs backwards into a hit: it begins before the hit and ends where the hit falls."""

from __future__ import annotations

from dataclasses import dataclass, replace

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.pattern.articulation import PLAIN, changed
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.pattern_edit import MAX_CHOSEN, PatternEdit, Places, Tick, Voice
from easy_pocket.core.pattern.timebase import place_name
from easy_pocket.core.pattern.voices import check_voice, voice_name


@dataclass(frozen=True)
class ReverseInto(PatternEdit, kind="reverse_into"):
    """Before each of these hits, a sound of `voice` that runs backwards and ends where the hit falls.

    length_ticks before the hit; before the first bar it begins at the end of the loop. It has the velocity and the own
    offset of the hit, so it ends with it whatever the feel does. A hit that stands where it begins is a conflict.
    """

    places: Places
    voice: Voice
    length_ticks: Tick

    def applied(self, pattern: Pattern) -> Pattern:
        require_range("The number of hits chosen", len(self.places), 1, MAX_CHOSEN)
        require_range("The length of the sound", self.length_ticks, 10, pattern.length_ticks, "ticks")
        voice = check_voice(self.voice)
        new: dict[int, Hit] = {}
        for place in dict.fromkeys(self.places):
            hit = pattern.at(*place)
            where = place_name(place[1], pattern.metre)
            if hit is None:
                raise EditRefusedError(f"There is no {voice_name(place[0])} hit at {where} any more.")
            tick = (hit.tick - self.length_ticks) % pattern.length_ticks
            other = pattern.at(voice, tick)
            if other is not None and not other.articulation.backwards:
                raise EditRefusedError(
                    f"A {voice_name(voice)} hit stands at {place_name(tick, pattern.metre)}, where the sound would "
                    "begin: choose another length or another voice."
                )
            articulation = changed(PLAIN, backwards=True, length_ticks=self.length_ticks, into=hit.voice)
            new[tick] = replace(hit, voice=voice, tick=tick, alternate=0, articulation=articulation)
        gone = [hit for tick in new if (hit := pattern.at(voice, tick))]
        return pattern.exchanged(gone, new.values())

    def description(self, pattern: Pattern) -> str:
        voice, tick = self.places[0]
        more = f" and {len(self.places) - 1} more" if len(self.places) > 1 else ""
        return (
            f"{voice_name(self.voice)} backwards into the {voice_name(voice)} at "
            f"{place_name(tick, pattern.metre)}{more}"
        )
