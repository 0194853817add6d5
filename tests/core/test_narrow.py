"""Loops of an old sampler, 8 kHz in 8 bits: hardly anything of their hats is left, and still they are heard."""

import numpy as np
import soxr

from bench.made_loops import made_loops
from easy_pocket.core.audio import Audio
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.listen.preparation import prepare

RATE_HZ = 8_000
TOGETHER_S = 0.03


def old(audio):
    x = soxr.resample(audio.mono().astype(np.float64), audio.rate_hz, RATE_HZ)
    return Audio((np.round(x / np.abs(x).max() * 0.95 * 127) / 128).astype(np.float32), RATE_HZ, audio.name)


def struck(truth):
    """Hits struck together are one."""
    found = []
    for time_s in sorted(hit["time_s"] for hit in truth["hits"] if 0 <= hit["time_s"] < truth["duration_s"] - 0.02):
        if not found or time_s - found[-1] > TOGETHER_S:
            found.append(time_s)
    return np.array(found)


def test_an_old_samplers_loops_are_heard_nearly_whole():
    missed = wrong = hits = 0
    for loop in made_loops(20, 31):
        heard, true = analyze_loop(old(loop.audio)).onsets.time_s, struck(loop.truth)
        apart = np.abs(heard[:, None] - true[None])
        missed += int((apart.min(axis=0) > TOGETHER_S).sum())
        wrong += int((apart.min(axis=1) > TOGETHER_S).sum())
        hits += len(true)
    assert hits > 400
    assert missed < 0.11 * hits
    assert wrong < 0.08 * hits


def test_only_what_was_recorded_so_is_taken_for_it():
    (loop,) = made_loops(1, 3)
    assert not prepare(loop.audio).narrow
    assert prepare(old(loop.audio)).narrow
