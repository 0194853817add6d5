"""What the examples of commands name, in a folder of its own, with a song on the shelf."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.formats.midi_writing import write_midi
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.demo.tidewater import slack_water
from tests.drums import ROCK, SWUNG, beat, rendered, wav_bytes


def take() -> bytes:
    rng = np.random.default_rng(4)
    hits = tuple(Hit("hat_closed", 240 * slot, 80, float(rng.normal(3, 4))) for slot in range(64))
    return write_midi(perform(Pattern(4 * 3840, hits), tempo_bpm=100, loop=False)).data


@pytest.fixture
def cli_desk(store: Any, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Path:
    """What the examples name, and the demo's song on the shelf."""
    monkeypatch.setenv("EASY_POCKET_DATABASE_URL", store.url)
    monkeypatch.chdir(tmp_path)
    audio, _ = rendered(beat(SWUNG), 88.5, Feel(swing_percent=60))
    (tmp_path / "loop.wav").write_bytes(wav_bytes(audio.samples))
    (tmp_path / "beat.mid").write_bytes(write_midi(perform(beat(ROCK), tempo_bpm=104)).data)
    (tmp_path / "take.mid").write_bytes(take())
    (tmp_path / "feel.json").write_text('{"swing": 57, "seed": 3, "voices": {"snare": {"push": 8}}}')
    with store.transaction() as session:
        slack_water(session).name = "Lamplighter"
    return tmp_path
