"""What a fill is, in a few words and tags."""

from __future__ import annotations

from easy_pocket.core.ideas.fill_settings import SUBDIVISIONS
from easy_pocket.core.ideas.playable import limbs_used
from easy_pocket.core.pattern.timebase import Metre, part_of_beat
from easy_pocket.core.pattern.voices import voice_name

SPOKEN = {**SUBDIVISIONS, "32": "16ths with a 32nd burst"}
CURVE_WORDS = {"rising": "rising", "accents": "accents", "swell": "ghosts grow", "level": ""}


def describe_fill(
    subdivision: str,
    way: str,
    curve: str,
    loudness: tuple[int, int] | None,
    ending: str,
    keeps: str,
    last: int | None,
    metre: Metre,
    crash: str,
    ticks: list[int],
) -> str:
    """A sentence without a verb: "16ths, snare into toms, rising, lands on 4".

    Parameters
    ----------
    subdivision
        Name of the subdivision.
    way
        Name of the way through the drums.
    curve
        Name of the curve of loudness.
    loudness
        First and last velocity that were asked for; None for a curve.
    ending
        How it ends, as the settings name it.
    keeps
        What goes on under it, in words.
    last
        Tick of the last hit; None without hits.
    metre
        Metre of the bars.
    crash
        Role of the voice that strikes on the one after it, "" for none.
    ticks
        Places of its hits.

    Returns
    -------
    str
        The sentence.
    """
    burst = subdivision != "32" or any(tick % 240 for tick in ticks)
    parts = [SPOKEN[subdivision] if burst else "16ths", way]
    if loudness is not None:
        parts.append("rising" if loudness[1] > loudness[0] else "falling" if loudness[1] < loudness[0] else "")
    else:
        parts.append(CURVE_WORDS[curve])
    if keeps:
        parts.append(f"{voice_name(keeps)} keeps going")
    parts.append(_ending_words(ending, last, metre, crash))
    return ", ".join(part for part in parts if part)


def _ending_words(ending: str, last: int | None, metre: Metre, crash: str) -> str:
    if ending == "crash":
        return f"{voice_name(crash)} on the next one"
    if ending == "silence":
        return "then silence"
    if ending == "pickup":
        return "picks up to the one"
    assert last is not None
    beat, rest = divmod(last % metre.bar_ticks, metre.beat_ticks)
    part = " and a half" if rest * 2 == metre.beat_ticks else f" {part_of_beat(rest, metre)}" if rest else ""
    return f"lands on {beat + 1}{part}"


def fill_tags(facts: dict[str, float], voices: list[str], playable: bool, beat_density: float) -> tuple[str, ...]:
    """How it is played, how dense and how much against the beat, and how far from what was there.

    Parameters
    ----------
    facts
        Figures of the fill, as `measured` gives them.
    voices
        Roles of the voices it uses.
    playable
        Whether two hands and two feet can play it.
    beat_density
        Hits a beat of what was there.

    Returns
    -------
    tuple[str, ...]
        Short words.
    """
    dense = facts["density"]
    word = "dense" if dense > 1.25 * max(beat_density, 1) else "calm" if dense < max(beat_density, 1) else "busy"
    return (
        "playable" if playable else "not for two hands",
        f"{word}, {dense:.3g} a beat",
        f"syncopation {facts['syncopation']:.1f}",
        f"{facts['distance'] * 100:.0f} % new",
        *((limbs_used(voices),) if playable else ()),
    )
