"""How much louder one way of playing a pattern must be to be as loud as another."""

from __future__ import annotations

import numpy as np
from scipy import signal

from easy_pocket.core.cache import ResultCache
from easy_pocket.core.sound.events import EventColumns
from easy_pocket.core.sound.kit import Kit, KitVoice, voice_audio
from easy_pocket.core.sound.loudness import K_WEIGHTING
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import SampleSource, no_samples

MOST_DB = 12.0


def matching_gain(columns: EventColumns, like: EventColumns, kit: Kit, samples: SampleSource = no_samples) -> float:
    """The gain by which `columns` are as loud as `like`.

    The roots of their K-weighted energies compared, each hit counted whole. 1 when either is silent or both have
    the same hits; at most 12 dB either way.

    Parameters
    ----------
    columns
        Hits whose gain is looked for.
    like
        Hits that are as loud as they shall be.
    kit
        Voices, and how they sound.
    samples
        Gives the recording of a sound by its key.

    Returns
    -------
    float
        A factor, 0.25 to 4.
    """
    if len(columns.gain) == len(like.gain) and np.allclose(np.sort(columns.gain), np.sort(like.gain)):
        return 1.0
    wanted, found = _energy(like, kit, samples), _energy(columns, kit, samples)
    if wanted <= 0 or found <= 0:
        return 1.0
    most = 10 ** (MOST_DB / 20)
    return float(np.clip(np.sqrt(wanted / found), 1 / most, most))


def _energy(columns: EventColumns, kit: Kit, samples: SampleSource) -> float:
    total = 0.0
    for sound, key in enumerate(columns.audio):
        mine = np.flatnonzero(columns.sound == sound)
        first = mine[0]
        voice = kit.voice(columns.voices[columns.voice[first]]).alternate(int(columns.alternate[first]))
        weight = _weighted(key, voice, int(columns.stretch[first]), samples)
        total += weight * float((columns.gain[mine] ** 2).sum())
    return total


_energies: ResultCache[float] = ResultCache("energies of sounds", 1 << 18)


def _weighted(key: str, voice: KitVoice, stretch: int, samples: SampleSource) -> float:
    """K-weighted energy of a sound at full gain, measured once."""
    return _energies.get(key, lambda: _measured(voice_audio(voice, stretch, samples)))


def _measured(audio: Frames) -> float:
    weighted = signal.sosfilt(K_WEIGHTING, audio.astype(np.float64), axis=0)
    return float((weighted**2).sum() / audio.shape[1])
