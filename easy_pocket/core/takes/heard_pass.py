"""A pass that was heard by a microphone: its hits, sorted on the voices of a kit."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import NoHitsError
from easy_pocket.core.listen.loop_beat import TOP_VELOCITY
from easy_pocket.core.listen.onsets import detect_onsets
from easy_pocket.core.listen.sound_groups import group_hits, with_kit_voices
from easy_pocket.core.sound.velocity import LOUDNESS_POWER
from easy_pocket.core.takes.played import Played, played_from_rows

QUIET = 0.003  # audio whose peak is under this is silence


def heard_pass(audio: Audio, roles: Sequence[str], lead_ms: float) -> Played:
    """Listen to one time round, as to a loop.

    Parameters
    ----------
    audio
        What was recorded.
    roles
        Voices of the kit; each kind of sound goes to the nearest of them.
    lead_ms
        How long before the first bar the recording begins.

    Returns
    -------
    Played
        The hits, in ms from the first bar; none for silence.
    """
    if float(np.abs(audio.samples).max(initial=0.0)) < QUIET:
        return played_from_rows([])
    try:
        onsets = detect_onsets(audio)
    except NoHitsError:
        return played_from_rows([])
    rows = []
    for group in with_kit_voices(group_hits(audio, onsets), tuple(roles)):
        strength = onsets.level[list(group.hits)]
        level = strength / max(float(strength.max(initial=0.0)), 1e-9)
        velocity = np.clip(np.rint(TOP_VELOCITY * level ** (1 / LOUDNESS_POWER)), 1, 127).astype(int)
        for index, size in zip(group.hits, velocity.tolist(), strict=True):
            rows.append((group.voice, float(onsets.time_s[index]) * 1000 - lead_ms, size))
    return played_from_rows(rows)
