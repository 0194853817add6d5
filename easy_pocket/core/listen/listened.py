"""What is heard of a recording before anything of it is corrected."""

from __future__ import annotations

from dataclasses import dataclass, replace

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.bar_context import select_with_bars
from easy_pocket.core.listen.candidates import Candidates
from easy_pocket.core.listen.onsets import Onsets, chosen, find_candidates, sound_log_odds
from easy_pocket.core.listen.preparation import Prepared, prepare
from easy_pocket.core.listen.ranked_readings import rank_readings
from easy_pocket.core.listen.reading import Reading
from easy_pocket.core.listen.signals import Floats
from easy_pocket.core.progress import OnProgress, no_progress


@dataclass(frozen=True)
class Found:
    """What is heard at a sensitivity before anything is corrected, and how its bars read (nothing: they do not)."""

    sensitivity: float
    onsets: Onsets
    readings: tuple[Reading, ...]


@dataclass(frozen=True)
class Listened:
    """What is heard of a recording before anything is chosen of it; found: what is at one sensitivity, if known."""

    prepared: Prepared  # without its samples: nobody reads them any more
    candidates: Candidates
    odds: Floats
    found: Found | None = None


def listen(audio: Audio, on_progress: OnProgress = no_progress) -> Listened:
    """Every place that may be a hit, and how likely it is one. Raises NoHitsError for silence."""
    held = [audio]
    del audio
    prepared = prepare(held.pop(), on_progress)
    candidates = find_candidates(prepared, on_progress)
    light = replace(prepared, samples=prepared.samples[:0].copy(), count=len(prepared.samples))
    return Listened(light, candidates, sound_log_odds(candidates))


def find(listened: Listened, sensitivity: float = 0.5, on_progress: OnProgress = no_progress) -> Found:
    """What is heard before anything is corrected, and how its bars read.

    What the bars say about faint hits changes no reading: those lie on its grid.

    Parameters
    ----------
    listened
        What was listened to.
    sensitivity
        0 to 1, 0.5 as tuned.
    on_progress
        Called with the share that is done, 0 to 1, and words.

    Returns
    -------
    Found
        Hits and readings.

    Raises
    ------
    NoHitsError
        When no hit stands out.
    """
    prepared, candidates, odds = listened.prepared, listened.candidates, listened.odds
    onsets = chosen(prepared, candidates, odds, sensitivity)
    on_progress(0.7, f"reading the bars of {len(onsets)} hits")
    try:
        readings = rank_readings(onsets)
    except NoHitsError:
        return Found(sensitivity, onsets, ())
    onsets = select_with_bars(prepared, candidates, odds, onsets, readings[0], sensitivity)
    return Found(sensitivity, onsets, tuple(readings))
