"""Fold: the layers of a voice, or a whole voice, written as one finished sound by velocity."""

from __future__ import annotations

from easy_pocket.core.sound.kit import ROLE_LUFS, KitVoice, voice_audio
from easy_pocket.core.sound.loudness import hit_loudness_lufs
from easy_pocket.core.sound.one_shot import content_key
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import SAMPLED, Sample, SampleSource, Sound, no_samples


def folded(voice: KitVoice, samples: SampleSource = no_samples) -> tuple[Sound, float, dict[str, Frames]]:
    """The sound, the level in dB that brings it to where the voice was, and its audio by content key.

    On a voice of the same role, with that level, no drive and full velocity to brightness, it is what the layers were.
    """
    struck = [voice_audio(voice, number, samples) for number in range(len(voice.stretches))]
    keys = [content_key(audio) for audio in struck]
    kept = tuple(Sample(key, one.low, one.high) for key, one in zip(keys, voice.stretches, strict=True))
    level_db = hit_loudness_lufs(struck[-1]) - ROLE_LUFS[voice.role]
    return Sound(SAMPLED, {}, samples=kept, levelled=False), level_db, dict(zip(keys, struck, strict=True))
