"""A file read as one channel is what all its channels mix to."""

from __future__ import annotations

import numpy as np
import pytest

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import AudioRefusedError
from easy_pocket.core.formats.audio_file import BLOCK_FRAMES, audio_facts, read_audio, read_mono, write_audio


def noise(frames: int, channels: int) -> np.ndarray:
    return np.random.default_rng(frames + channels).uniform(-0.5, 0.5, (frames, channels)).astype(np.float32)


@pytest.mark.parametrize("channels", [1, 2, 3])
@pytest.mark.parametrize("frames", [900, BLOCK_FRAMES, 2 * BLOCK_FRAMES + 17])
@pytest.mark.parametrize("kind", ["WAV", "FLAC"])
def test_it_is_the_same_as_mixing_afterwards(channels: int, frames: int, kind: str) -> None:
    data = write_audio(Audio(noise(frames, channels), 44_100, "n"), kind, 16)
    mono, whole = read_mono(data, "n"), read_audio(data, "n")
    assert (mono.channels, mono.rate_hz, len(mono.samples)) == (1, 44_100, frames)
    assert np.array_equal(mono.samples[:, 0], whole.mono())
    assert len(whole.samples) == frames


def test_channels_that_cancel_give_the_louder_one() -> None:
    one = noise(2 * BLOCK_FRAMES, 1)
    data = write_audio(Audio(np.hstack([0.5 * one, -0.6 * one]), 44_100, "n"), "WAV", 16)
    mono = read_mono(data, "n")
    assert np.array_equal(mono.samples[:, 0], read_audio(data, "n").samples[:, 1])


def test_what_the_header_promises_and_is_not_there_is_not_made_up() -> None:
    data = write_audio(Audio(noise(5000, 2), 44_100, "n"), "WAV", 16)
    assert len(read_mono(data[:-4000], "n").samples) == 4000


def test_the_facts_of_a_file_are_told_without_reading_it() -> None:
    facts = audio_facts(write_audio(Audio(noise(4410, 2), 44_100, "n"), "FLAC", 24), "n")
    assert (facts.duration_s, facts.rate_hz, facts.channels) == (0.1, 44_100, 2)
    with pytest.raises(AudioRefusedError, match=r"words.wav is no audio that can be read"):
        audio_facts(b"only words " * 30, "words.wav")
