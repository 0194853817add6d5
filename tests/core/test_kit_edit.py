"""Edits of a kit, their refusals, and what voices that vary or are cut do to the events."""

from dataclasses import replace

import numpy as np
import pytest

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.feel.perform import perform
from easy_pocket.core.pattern.pattern import Hit, Pattern
from easy_pocket.core.sound.events import play_events
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.sound.kit import Kit, voice_audio, voice_from_doc, voice_to_doc
from easy_pocket.core.sound.kit_edit import (
    AddAlternate,
    AddVoice,
    GeneralMidi,
    MoveVoice,
    PutSound,
    RemoveAlternate,
    RemoveLayer,
    RemoveVoice,
    SetKeyNote,
    SetLayerFields,
    SetModelControl,
    SetVoiceField,
)
from easy_pocket.core.sound.kit_loudness import beat_loudness_lufs, matched_gain_db
from tests.drums import ROCK, beat, one_stroke

KIT = HOUSE_KITS["boathouse"]
CLAP = HOUSE_KITS["signal_box"].voice("clap").layers[0].sound


def edited(*edits, kit=KIT):
    for edit in edits:
        kit = edit.applied(kit)
    return kit


def test_layers_are_added_cut_and_taken_off():
    kit = edited(PutSound("snare", 1, CLAP, "clap"), SetLayerFields("snare", 1, {"delay_ms": 8, "invert": True}))
    layer = kit.voice("snare").layers[1]
    assert (layer.name, layer.delay_ms, layer.invert) == ("clap", 8.0, True)
    replaced = edited(PutSound("snare", 1, KIT.voice("rim").layers[0].sound, "rim"), kit=kit).voice("snare").layers[1]
    assert (replaced.name, replaced.delay_ms) == ("rim", 8.0)  # the new sound is cut as the old one was
    assert edited(RemoveLayer("snare", 0), kit=kit).voice("snare").layers == (layer,)
    assert KIT.voice("kick") is kit.voice("kick")  # nothing else has changed


def test_a_control_of_the_model_and_the_room():
    kit = edited(SetModelControl("kick", 0, "tune_hz", 61.0), SetModelControl("kick", 0, "room", 0.2))
    assert kit.voice("kick").layers[0].sound.settings["tune_hz"] == 61.0
    assert kit.voice("kick").layers[0].sound.room == 0.2


def test_refusals_say_what_is_there():
    with pytest.raises(EditRefusedError, match="Snare needs at least one layer"):
        edited(RemoveLayer("snare", 0))
    with pytest.raises(EditRefusedError, match="Snare has no layer 3 any more"):
        edited(SetLayerFields("snare", 2, {"delay_ms": 1}))
    with pytest.raises(EditRefusedError, match="already has a snare"):
        edited(AddVoice("snare", CLAP, "x"))
    with pytest.raises(EditRefusedError, match="has 4 layers, the most it can have: fold"):
        edited(*(PutSound("snare", number, CLAP, "clap") for number in (1, 2, 3, 4)))
    with pytest.raises(EditRefusedError, match="last voice"):
        edited(RemoveVoice("kick"), kit=Kit("one", "One", (KIT.voice("kick"),)))
    with pytest.raises(BadValueError, match="pan of a voice is 3; it must lie between -1 and 1"):
        edited(SetVoiceField("snare", "pan", 3))
    with pytest.raises(BadValueError, match="no 'sound'"):
        edited(SetLayerFields("snare", 0, {"sound": 3}))
    with pytest.raises(BadValueError, match="level db is 'loud'; a number is needed"):
        edited(SetVoiceField("snare", "level_db", "loud"))
    with pytest.raises(BadValueError, match="delay ms needs a value"):
        edited(SetLayerFields("snare", 0, {"delay_ms": None}))
    assert edited(SetLayerFields("snare", 0, {"length_ms": None})).voice("snare").layers[0].length_ms is None
    with pytest.raises(BadValueError, match="Boathouse has no bell"):
        edited(SetVoiceField("bell", "pan", 0))


def test_voices_move_leave_and_are_mapped():
    kit = edited(MoveVoice("snare", 0))
    assert kit.roles[:2] == ("snare", "kick")
    kit = edited(RemoveVoice("rim"), SetVoiceField("kick", "note", 35), kit=kit)
    assert "rim" not in kit.roles
    assert kit.voice("kick").midi_note == 35
    assert edited(GeneralMidi(), kit=kit).voice("kick").midi_note == 36


def test_tuned_voices_follow_the_key_and_others_do_not():
    kit = edited(SetVoiceField("kick", "key_step", 0), SetKeyNote(9))
    assert kit.voice("kick").tuned_layers[0].sound.settings["tune_hz"] == pytest.approx(55.0)
    assert kit.voice("tom_low").tuned_layers == KIT.voice("tom_low").layers
    assert kit.voice("kick").audio_base != KIT.voice("kick").audio_base
    assert edited(SetKeyNote(None), kit=kit).voice("kick").audio_base == KIT.voice("kick").audio_base


def test_a_voice_survives_being_written_down():
    kit = edited(
        PutSound("snare", 1, CLAP, "clap"),
        SetLayerFields("snare", 1, {"delay_ms": 3.5, "reverse": True, "velocity_low": 40.0}),
        AddAlternate("snare", CLAP, "another"),
        SetVoiceField("snare", "vary_cents", 7),
        SetVoiceField("snare", "name", "Harbour"),
    )
    assert voice_from_doc(voice_to_doc(kit.voice("snare"))) == kit.voice("snare")


def test_every_edit_has_words():
    assert PutSound("snare", 1, CLAP, "gravel clap").description(KIT) == "gravel clap on snare layer 2"
    assert RemoveVoice("rim").description(KIT) == "take rim out of Boathouse"
    assert SetKeyNote(9).description(KIT) == "key note of Boathouse A"


# Events ------------------------------------------------------------------------------------------------------------
def events(kit, pattern=None):
    return play_events(perform(pattern or beat(ROCK), tempo_bpm=104), kit)


def test_hits_ask_for_alternates_and_a_missing_one_is_the_voice_itself():
    kit = one_stroke(edited(AddAlternate("snare", CLAP, "clap")))
    pattern = Pattern(3840, (Hit("snare", 0, 100), Hit("snare", 960, 100, 0.0, 1), Hit("snare", 1920, 100, 0.0, 3)))
    own, asked, missing = events(kit, pattern)
    assert own.audio != asked.audio
    assert (own.audio, own.alternate, asked.alternate) == (missing.audio, 0, 1)
    assert voice_audio(kit.voice("snare").alternate(1), 6).shape != voice_audio(kit.voice("snare"), 6).shape
    assert edited(RemoveAlternate("snare", 1), kit=kit).voice("snare").alternates == ()


def test_a_voice_that_varies_does_so_the_same_every_time():
    kit = edited(SetVoiceField("snare", "vary_cents", 12), SetVoiceField("snare", "vary_db", 1.5))
    first, again, plain = events(kit), events(kit), events(KIT)
    assert first == again
    snares = [event for event in first if event.voice == "snare"]
    assert len({event.rate for event in snares}) == len(snares)
    cents = 1200 * np.log2([event.rate for event in snares])
    assert np.abs(cents).max() <= 36
    assert [e for e in first if e.voice != "snare"] == [e for e in plain if e.voice != "snare"]


def test_a_voice_that_cuts_itself_and_one_that_rings():
    pattern = Pattern(3840, (Hit("crash", 0, 100), Hit("crash", 480, 100)))
    assert [event.cut_s for event in events(KIT, pattern)] == [None, None]
    cut = events(edited(SetVoiceField("crash", "rings", False)), pattern)
    assert cut[0].cut_s == pytest.approx(cut[1].start_s)


def test_without_a_response_velocity_changes_nothing():
    deaf = edited(SetVoiceField("snare", "velocity_level", 0), SetVoiceField("snare", "velocity_bright", 0))
    assert not deaf.voice("snare").hears_velocity
    soft, hard = events(deaf, Pattern(3840, (Hit("snare", 0, 10), Hit("snare", 960, 120))))
    assert soft.gain == hard.gain
    np.testing.assert_array_equal(voice_audio(deaf.voice("snare"), 0), voice_audio(deaf.voice("snare"), 7))


# Comparing ---------------------------------------------------------------------------------------------------------
def test_kits_are_compared_at_equal_loudness():
    performance = perform(beat(ROCK), tempo_bpm=104)
    quiet = Kit("q", "Quiet", tuple(replace(voice, level_db=voice.level_db - 9) for voice in KIT.voices))
    assert matched_gain_db(performance, KIT, quiet, {}) == pytest.approx(9.0, abs=0.01)
    other = HOUSE_KITS["signal_box"]
    gain_db = matched_gain_db(performance, KIT, other, {})
    here, there = beat_loudness_lufs(performance, KIT, {}), beat_loudness_lufs(performance, other, {})
    assert there + gain_db == pytest.approx(here, abs=0.01)
    assert matched_gain_db(perform(Pattern(3840), tempo_bpm=104), KIT, other, {}) == 0.0
