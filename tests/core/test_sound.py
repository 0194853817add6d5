"""Sounds and mix: levels, brightness, chokes, exact places, exact lengths."""

import numpy as np
import pytest

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.sound.events import CUT_FADE_S, MASTER_GAIN, VoiceMix, play_events
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import audio_key, voice_audio
from easy_pocket.core.sound.mixdown import mixdown, pan_gains
from easy_pocket.core.sound.sound import Sound
from easy_pocket.core.sound.velocity import VELOCITY_ZONES, ZONE_OF, gains
from tests.drums import ROCK, beat, one_stroke

KIT = HOUSE_KITS["boathouse"]
EVERY_VOICE = [(kit.key, voice.role) for kit in HOUSE_KITS.values() for voice in kit.voices]


def rms_db(x):
    return 20 * np.log10(np.sqrt(np.mean(np.square(x, dtype=np.float64))) + 1e-12)


def centroid_hz(x):
    spectrum = np.abs(np.fft.rfft(x * np.hanning(len(x)), 1 << 15))
    return float((spectrum * np.fft.rfftfreq(1 << 15, 1 / 44_100)).sum() / spectrum.sum())


@pytest.mark.parametrize(("kit_key", "role"), EVERY_VOICE)
def test_every_voice_is_clean_and_answers_velocity(kit_key, role):
    voice = HOUSE_KITS[kit_key].voice(role)
    soft, loud = voice_audio(voice, 1)[:, 0] * gains(1.0)[24], voice_audio(voice, VELOCITY_ZONES - 1)[:, 0]
    assert ZONE_OF[24] == 1
    assert 0.04 < len(loud) / 44_100 < 4
    assert np.abs(loud).max() < 1.0
    assert abs(loud.mean()) < 1e-3
    assert np.abs(loud[-1]) < 1e-4  # no click at the end
    assert np.abs(loud[0]) < 0.5
    window = 441
    assert rms_db(loud[: 5 * window]) - rms_db(soft[: 5 * window]) > 12
    assert centroid_hz(loud[:4410]) >= 0.97 * centroid_hz(soft[:4410])


def test_the_kits_differ_in_every_voice():
    assert [len(kit.roles) for kit in HOUSE_KITS.values()] == [14, 14, 10]
    keys = {audio_key(kit.voice(role), 0) for kit in HOUSE_KITS.values() for role in kit.roles}
    assert len(keys) == 38


def test_a_kit_names_the_voice_it_does_not_have():
    with pytest.raises(BadValueError, match="Half has no kick"):
        type(KIT)("half", "Half", ()).voice("kick")
    with pytest.raises(BadValueError, match="no sound model"):
        Sound("kazoo", {})


def test_level_follows_velocity_smoothly_across_zones():
    pattern = Pattern(127 * 480, tuple(Hit("snare", (velocity - 1) * 480, velocity) for velocity in range(1, 128)))
    kit = one_stroke(KIT)  # strokes differ by a trifle
    events = play_events(perform(pattern, tempo_bpm=60), kit)
    loudest = {}
    for zone in range(VELOCITY_ZONES):
        power = np.convolve(voice_audio(KIT.voice("snare"), zone)[:4410, 0] ** 2, np.ones(441) / 441, "valid")
        loudest[zone] = np.sqrt(power.max())
    steps_db = np.diff(20 * np.log10([event.gain * loudest[event.stretch] for event in events][12:]))
    assert np.all(steps_db > -0.05)  # dB: where zones meet
    assert np.all(steps_db < 1.3)


def test_hats_choke_and_the_loop_end_is_no_exception():
    pattern = beat({"hat_open": "x.......x.......", "hat_closed": "....x..........."})
    events = play_events(perform(pattern, tempo_bpm=120), KIT)
    cuts = {(event.voice, round(event.start_s, 3)): event.cut_s for event in events}
    assert cuts["hat_open", 0.0] == pytest.approx(0.5)
    assert cuts["hat_open", 1.0] == pytest.approx(2.0)  # by the first hit of the next pass
    audio = mixdown(events, KIT, 2.0)
    after = int((0.5 + 0.3) * 44_100)
    open_alone = mixdown([event for event in events if event.start_s == 0], KIT, 2.0)
    assert rms_db(audio.samples[after : after + 4410]) < rms_db(open_alone.samples[4410:8820]) - 20


def test_other_voices_ring_out():
    events = play_events(perform(beat(ROCK), tempo_bpm=120), KIT)
    assert all(event.cut_s is None for event in events if event.voice in ("kick", "snare"))


def test_each_hit_is_on_its_sample():
    performance = perform(beat({"rim": "x..x..x...x....."}), tempo_bpm=97.3)
    events = play_events(performance, KIT)
    mixed = mixdown(events, KIT, performance.length_ms / 1000).samples
    expected = np.zeros_like(mixed)
    left, right = pan_gains(KIT.voice("rim").pan)
    for event in events:
        sound = voice_audio(KIT.voice("rim").alternate(event.alternate), event.stretch)[:, 0] * event.gain * MASTER_GAIN
        at = (round(event.start_s * 44_100) + np.arange(len(sound))) % len(mixed)
        np.add.at(expected, at, np.stack([sound * left, sound * right], axis=1))
    np.testing.assert_allclose(mixed, expected, atol=1e-6)


def test_a_loop_has_its_exact_length_and_its_tails_at_the_start():
    pattern = beat({"crash": "..............x."})
    performance = perform(pattern, tempo_bpm=120)
    looped = mixdown(play_events(performance, KIT), KIT, performance.length_ms / 1000)
    assert len(looped.samples) == 88_200
    assert rms_db(looped.samples[:4410]) > -45
    whole = mixdown(play_events(performance, KIT, loop=False), KIT, performance.length_ms / 1000, loop=False)
    assert len(whole.samples) > 88_200
    assert rms_db(whole.samples[:4410]) < -100


def test_mute_solo_level_and_pan():
    performance = perform(beat(ROCK), tempo_bpm=120)
    voices = lambda mix: {event.voice for event in play_events(performance, KIT, mix)}  # noqa: E731
    assert voices({"snare": VoiceMix(mute=True)}) == {"kick", "hat_closed"}
    assert voices({"snare": VoiceMix(solo=True), "kick": VoiceMix(mute=True)}) == {"snare"}
    plain, turned = (
        play_events(performance, KIT, mix)[0]
        for mix in ({}, {"hat_closed": VoiceMix(-6.0, -1.0), "kick": VoiceMix(-6.0, -1.0)})
    )
    assert turned.gain / plain.gain == pytest.approx(10 ** (-6 / 20))
    assert turned.pan == -1.0
    assert pan_gains(0.0) == (pytest.approx(0.7071, abs=1e-4), pytest.approx(0.7071, abs=1e-4))


def test_a_full_beat_does_not_clip():
    performance = perform(beat({**ROCK, "crash": "X...............|................"}), tempo_bpm=120)
    for kit in HOUSE_KITS.values():
        assert np.abs(mixdown(play_events(performance, kit), kit, performance.length_ms / 1000).samples).max() < 1.0


def test_the_seam_of_a_choked_loop_has_no_click():
    pattern = beat({"hat_open": "..............x.", "hat_closed": "x..............."})
    performance = perform(pattern, tempo_bpm=120)
    mixed = mixdown(play_events(performance, KIT), KIT, 2.0).samples[:, 0]
    ring = np.concatenate([mixed, mixed])
    jump = np.abs(np.diff(ring[len(mixed) - 20 : len(mixed) + int(CUT_FADE_S * 44_100)]))
    assert jump.max() < 0.25


def test_swing_is_in_the_events_the_player_gets():
    events = play_events(perform(beat({"rim": "xx.............."}), tempo_bpm=100), KIT)
    from easy_pocket.core.feel.feel import FeelScopes

    swung = play_events(
        perform(beat({"rim": "xx.............."}), FeelScopes(Feel(swing_percent=60)), tempo_bpm=100), KIT
    )
    assert swung[1].start_s - events[1].start_s == pytest.approx(0.03)
