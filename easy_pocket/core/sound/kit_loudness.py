"""Comparing kits at equal loudness: the same performance on both, as the ear weighs it."""

from __future__ import annotations

from collections.abc import Mapping

from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.sound.events import VoiceMix, play_events
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.loudness import SILENCE_LUFS, hit_loudness_lufs, programme_loudness_lufs
from easy_pocket.core.sound.mixdown import mixdown
from easy_pocket.core.sound.sound import SampleSource, no_samples

FURTHEST_DB = 24.0


def beat_loudness_lufs(
    performance: Performance, kit: Kit, mix: Mapping[str, VoiceMix], samples: SampleSource = no_samples
) -> float:
    """Integrated loudness of one pass of the loop; of its loudest moment when all of it is too quiet to count.

    Parameters
    ----------
    performance
        Hits as they are played.
    kit
        Voices, and how they sound.
    mix
        Level, pan, mute and solo by voice.
    samples
        Gives the recording of a sound by its key.

    Returns
    -------
    float
        Loudness in LUFS (BS.1770).
    """
    audio = mixdown(play_events(performance, kit, mix), kit, performance.length_ms / 1000, samples=samples).samples
    programme = programme_loudness_lufs(audio)
    return programme if programme > SILENCE_LUFS else hit_loudness_lufs(audio)


def matched_gain_db(
    performance: Performance,
    kit: Kit,
    other: Kit,
    mix: Mapping[str, VoiceMix],
    samples: SampleSource = no_samples,
) -> float:
    """The gain in dB that makes the performance as loud on `other` as it is on `kit`; 0 when either is silent.

    Parameters
    ----------
    performance
        Hits as they are played.
    kit
        Voices, and how they sound.
    other
        The kit that is brought to its loudness.
    mix
        Level, pan, mute and solo by voice.
    samples
        Gives the recording of a sound by its key.

    Returns
    -------
    float
        Gain in dB.
    """
    here, there = (beat_loudness_lufs(performance, one, mix, samples) for one in (kit, other))
    if SILENCE_LUFS in (here, there):
        return 0.0
    return max(-FURTHEST_DB, min(FURTHEST_DB, here - there))
