"""Every sound that ships: at its role's level, clean, and answering velocity."""

import numpy as np
import pytest

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.sound.controls import CONTROLS, settings_with
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import ROLE_LUFS, plain_voice, voice_audio
from easy_pocket.core.sound.loudness import hit_loudness_lufs, programme_loudness_lufs
from easy_pocket.core.sound.models import MODELS
from easy_pocket.core.sound.presets import PRESETS
from easy_pocket.core.sound.sound import Sound, in_key
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.core.sound.velocity import VELOCITY_ZONES
from easy_pocket.samples import dry_dock, sampled_audio, shipped_samples

HARD = VELOCITY_ZONES - 1
VOICES = [(f"{kit.name} {voice.role}", voice) for kit in (*HOUSE_KITS.values(), dry_dock()) for voice in kit.voices]
VOICES += [(preset.name, plain_voice(preset.role, preset.sound)) for preset in PRESETS]


@pytest.mark.parametrize("voice", [voice for _, voice in VOICES], ids=[name for name, _ in VOICES])
def test_every_voice_is_at_its_level_and_clean(voice):
    hard = voice_audio(voice, HARD, shipped_samples)
    assert hit_loudness_lufs(hard) == pytest.approx(ROLE_LUFS[voice.role], abs=1.5)
    assert np.abs(hard).max() <= 0.981
    peak = np.abs(hard).max()
    assert abs(float(hard.mean())) < 3e-3 * peak
    assert np.abs(hard[-1]).max() < 1e-4 * peak
    assert np.abs(np.diff(hard[-60:], axis=0)).max() < 0.004 * peak  # no click where it ends


@pytest.mark.parametrize("model", list(MODELS))
def test_every_control_of_a_model_is_heard(model):
    plain = voice_audio(plain_voice("snare", Sound(model, settings_with(model))), HARD)
    for control in CONTROLS[model].values():
        other = (
            control.low if abs(control.default - control.low) > abs(control.high - control.default) else control.high
        )
        changed = voice_audio(plain_voice("snare", Sound(model, settings_with(model, **{control.name: other}))), HARD)
        length = min(len(plain), len(changed))
        difference = np.abs(plain[:length] - changed[:length]).max() / np.abs(plain).max()
        assert difference > 0.02 or abs(len(plain) - len(changed)) > 400, control.name


def test_settings_outside_their_range_are_refused_in_words():
    with pytest.raises(BadValueError, match="tune of a kick is 900 Hz; it must lie between 25 and 160 Hz"):
        Sound("kick", settings_with("kick", tune_hz=900))
    with pytest.raises(BadValueError, match="'wings' is missing or not one of them"):
        Sound("kick", settings_with("kick") | {"wings": 1.0})
    with pytest.raises(BadValueError, match="no sound model 'harp'"):
        Sound("harp", {})


def test_a_tuned_sound_follows_the_key_to_the_nearest_note():
    kick = Sound("kick", settings_with("kick", tune_hz=54.0))
    assert in_key(kick, 9).settings["tune_hz"] == pytest.approx(55.0, abs=0.01)  # A1
    assert in_key(kick, 4).settings["tune_hz"] == pytest.approx(41.203, abs=0.01)  # E1 is nearer than E2
    hat = Sound("hat", settings_with("hat"))
    assert in_key(hat, 9) is hat


def test_the_sampled_kit_has_five_velocities_of_every_voice_in_eight_megabytes():
    kit = dry_dock()
    assert len(kit.roles) >= 14
    assert all(len(voice.layers[0].sound.samples) >= 5 for voice in kit.voices)
    total = sum(audio.nbytes for audio in sampled_audio().values())
    assert total > 1e6  # they are really there
    for voice in kit.voices:
        zones = [sample.low for sample in voice.layers[0].sound.samples]
        assert zones == sorted(zones)
        assert zones[0] == 1


def test_harder_hits_of_the_sampled_kit_are_brighter():
    for role in ("kick", "snare", "hat_closed", "ride"):
        voice = dry_dock().voice(role)
        soft, hard = (voice_audio(voice, zone, shipped_samples)[:, 0] for zone in (1, HARD))
        middle = [
            float((np.abs(np.fft.rfft(x)) * np.fft.rfftfreq(len(x), 1 / RATE_HZ)).sum() / np.abs(np.fft.rfft(x)).sum())
            for x in (soft, hard)
        ]
        assert middle[1] > middle[0] * 1.02, role


def test_loudness_of_a_known_tone():
    """BS.1770: a 997 Hz sine at full scale in one channel is -3.01 LUFS."""
    t = np.arange(3 * RATE_HZ) / RATE_HZ
    tone = np.sin(2 * np.pi * 997 * t)[:, None]
    assert programme_loudness_lufs(tone) == pytest.approx(-3.01, abs=0.02)
    assert programme_loudness_lufs(np.repeat(tone, 2, axis=1) * 0.1) == pytest.approx(-20.0, abs=0.02)
    assert programme_loudness_lufs(np.zeros((RATE_HZ, 2))) == -120.0
