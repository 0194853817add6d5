"""Where the attack nearest to a place starts, for hits that are added by hand."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import AudioRefusedError, NoHitsError
from easy_pocket.core.listen.attacks import CLEAR_DB, refine
from easy_pocket.core.listen.preparation import prepare
from easy_pocket.core.listen.signals import RATE_HZ

NEARBY_S = 1.0  # so much on either side is looked at


def attack_near(mono: npt.NDArray[np.number], rate_hz: int, time_s: float) -> float:
    """Where the attack nearest to a place starts, for a hit added by hand; the place itself when none stands out.

    Parameters
    ----------
    mono
        Samples at any level, shape (frames,); of a long recording only what is near is looked at.
    rate_hz
        Of the samples.
    time_s
        The place, from the first sample.

    Returns
    -------
    float
        Seconds from the first sample.
    """
    first = max(0, round((time_s - NEARBY_S) * rate_hz))
    near = mono[first : round((time_s + NEARBY_S) * rate_hz)].astype(np.float32)
    try:
        prepared = prepare(Audio(near / max(float(np.abs(near).max(initial=0.0)), 1e-9), rate_hz))
    except (AudioRefusedError, NoHitsError):  # too little of it, or silence
        return time_s
    begin_s = first / rate_hz
    at = prepared.context + round((time_s - begin_s) * RATE_HZ)
    starts, contrast_db = refine(prepared, np.array([at], dtype=np.intp))
    if contrast_db[0] < CLEAR_DB:
        return time_s
    found_s = begin_s + float(starts[0] - prepared.context) / RATE_HZ
    return float(np.clip(found_s, 0.0, len(mono) / rate_hz - 1 / RATE_HZ))
