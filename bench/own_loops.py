"""Loops of our own with exact truth, for machines without any others, in the same form."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np

from easy_pocket.core.audio import Audio
from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.feel.perform import Performance
from easy_pocket.core.formats.audio_file import write_audio
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.pattern.timebase import Metre
from tests.drums import ROCK, SWUNG, beat, rendered

SHUFFLE = {
    "kick": "X.....x.....|X....xx.....",
    "snare": "...X.....X..|...X.....X..",
    "ride": "x.xx.xx.xx.x|x.xx.xx.xx.x",
}
WALTZ = {
    "kick": "X.....|x....x|X.....|x.....",
    "snare": "..x.x.|..x.x.|..x.x.|..x.xx",
    "ride": "x.x.x.|x.x.xx|x.x.x.|x.x.xx",
}
FLOOR = {
    "kick": "X...X...X...X...|X...X...X...X...",
    "clap": "....X.......x...|....X.......x...",
    "hat_open": "..x...x...x...x.|..x...x...x...x.",
    "hat_closed": "x..x...xx..x...x|x..x...xx..x...x",
}
# name: pattern, tempo, swing, kit, slots per beat, noise in dB
LOOPS = {
    "own_1_rock": (beat(ROCK), 112.0, 50.0, "boathouse", 4, None),
    "own_2_swung": (beat(SWUNG), 88.5, 60.0, "boathouse", 4, -50.0),
    "own_3_floor": (beat(FLOOR), 124.0, 50.0, "signal_box", 4, None),
    "own_4_shuffle": (beat(SHUFFLE, step=320), 118.3, 50.0, "boathouse", 3, None),
    "own_5_waltz": (beat(WALTZ, Metre(3, 4), 480), 138.0, 50.0, "boathouse", 2, -55.0),
}


def write_loops(folder: Path) -> None:
    """NAME.wav and NAME.truth.json for each, every hit a little off its place as a player's are."""
    for number, (name, (pattern, tempo_bpm, swing, kit, per_beat, noise_db)) in enumerate(LOOPS.items()):
        dice = np.random.default_rng(100 + number)
        loose = Pattern(
            pattern.length_ticks,
            tuple(Hit(h.voice, h.tick, h.velocity, float(dice.normal(0, 3))) for h in pattern.hits),
            pattern.metre,
        )
        audio, performance = rendered(loose, tempo_bpm, Feel(swing_percent=swing), kit)
        samples = audio.samples.copy()
        if noise_db is not None:
            samples += (dice.standard_normal(samples.shape) * 10 ** (noise_db / 20)).astype(np.float32)
        (folder / f"{name}.wav").write_bytes(write_audio(Audio(samples, audio.rate_hz, name), "WAV", 16))
        truth = _truth(name, performance, per_beat, audio.duration_s, swing)
        (folder / f"{name}.truth.json").write_text(json.dumps(truth))


def _truth(name: str, performance: Performance, per_beat: int, duration_s: float, swing: float) -> dict:
    metre = performance.metre
    slot_ticks = 960 // per_beat
    slots = per_beat * metre.beats
    hits = [
        {
            "time_s": float(performance.loop_ms[index]) / 1000,
            "slot": line.tick // slot_ticks,
            "voice": line.voice,
            "velocity": line.velocity,
            "offset_ms": line.offset_ms,
            "level_db": 20 * np.log10(line.velocity / 127),
        }
        for index, line in ((i, performance.ledger(i)) for i in range(len(performance.hits.tick)))
    ]
    by_slot = [[hit for hit in hits if hit["slot"] % slots == slot] for slot in range(slots)]
    mean = lambda key: [float(np.mean([hit[key] for hit in own])) if own else None for own in by_slot]  # noqa: E731
    bar_s = metre.bar_ticks * 60 / performance.tempo_bpm / 960
    return {
        "name": name,
        "file": f"{name}.wav",
        "duration_s": duration_s,
        "tempo_bpm": performance.tempo_bpm,
        "beats_per_bar": metre.beats,
        "beat_unit": metre.unit,
        "bars": round(performance.length_ms / 1000 / bar_s),
        "bar_one_s": 0.0,
        "grid": per_beat,
        "swing_percent": swing,
        "ends": "wrap",
        "hits": sorted(hits, key=lambda hit: hit["time_s"]),
        "template": {
            "slots_per_bar": slots,
            "offset_ms": mean("offset_ms"),
            "velocity": mean("velocity"),
            "level": mean("velocity"),
        },
    }
