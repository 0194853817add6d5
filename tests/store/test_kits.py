"""Kits kept: edits, their undo across songs, folding, the library's rows, and upgrading."""

import numpy as np
import pytest

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.sound.kit import voice_audio
from easy_pocket.core.sound.kit_edit import (
    RemoveVoice,
    SetLayerFields,
    SetModelControl,
    SetVoiceField,
)
from easy_pocket.core.sound.library import Query, search
from easy_pocket.core.sound.one_shot import content_key
from easy_pocket.core.sound.sound import sampled
from easy_pocket.demo.load import load_demo
from easy_pocket.store.history.undo_log import StaleRevisionError
from easy_pocket.store.kits.kits import songs_with_kit
from easy_pocket.store.kits.samples import sample_source, save_samples
from easy_pocket.store.kits.sound_library import (
    NewSound,
    add_sounds,
    mark_used,
    remove_sound,
    rename_sound,
    set_favourite,
    sound_index,
    sounds_by_id,
)
from easy_pocket.store.schema.tables import AudioRow, KitRow, SoundRow
from easy_pocket.store.songs.create import FIRST_VOICES, create_song
from easy_pocket.store.songs.load import load_song, read_song
from tests.conftest import fresh_kits
from tests.editing import do, step


@pytest.fixture
def shelf(store):
    """Two songs on the same kit, and the library filled."""
    load_demo(store, songs=False)
    fresh_kits(store)
    with store.transaction() as session:
        first, second = create_song(session, "First"), create_song(session, "Second")
        session.flush()
        ids = first.id, second.id
    yield store, *ids
    fresh_kits(store)


def kit_of(store, song_id):
    with store.transaction() as session:
        return load_song(session, song_id).kit


def test_an_edit_is_kept_for_every_song_and_undone_across_a_new_connection(shelf):
    store, first, second = shelf
    do(store, first, SetVoiceField("snare", "level_db", -4.0))
    assert kit_of(store, second).voice("snare").level_db == -4.0
    store.engine.dispose()
    assert step(store, first, "undo") == "level db of snare -4"
    assert kit_of(store, second).voice("snare").level_db == 0.0
    step(store, first, "redo")
    assert kit_of(store, first).voice("snare").level_db == -4.0


def test_another_song_that_uses_the_kit_is_told(shelf):
    store, first, second = shelf
    seen = read_song(store.reader, second).revision
    do(store, first, SetVoiceField("snare", "level_db", -4.0))
    with pytest.raises(StaleRevisionError) as refused:
        do(store, second, SetVoiceField("snare", "level_db", 3.0), revision=seen)
    assert refused.value.theirs == ["level db of snare -4 (in another song)"]
    do(store, second, SetVoiceField("kick", "level_db", 3.0), revision=seen)  # another voice: both hold
    assert kit_of(store, second).voice("kick").level_db == 3.0
    assert kit_of(store, first).voice("snare").level_db == -4.0


def test_undo_leaves_what_another_song_changed_since_and_says_so(shelf):
    store, first, second = shelf
    do(store, first, SetVoiceField("snare", "level_db", -4.0))
    do(store, first, SetVoiceField("kick", "pan", 0.2))
    do(store, second, SetVoiceField("snare", "level_db", 2.0))
    assert step(store, first, "undo") == "pan of kick 0.2"
    words = step(store, first, "undo")
    assert words == "level db of snare -4; snare of Boathouse stays as it is: another song changed it since"
    assert kit_of(store, first).voice("snare").level_db == 2.0
    assert kit_of(store, first).voice("kick").pan == 0.0


def test_a_drag_is_one_step(shelf):
    store, first, _ = shelf
    for value in (50.0, 55.0, 61.0):
        do(store, first, SetModelControl("kick", 0, "tune_hz", value), gesture="drag-1")
    assert step(store, first, "undo").startswith("tune hz of kick")
    assert kit_of(store, first).voice("kick").layers[0].sound.settings["tune_hz"] == 54


def test_a_voice_taken_out_comes_back_with_its_place(shelf):
    store, first, _ = shelf
    before = kit_of(store, first)
    do(store, first, RemoveVoice("rim"))
    assert "rim" not in kit_of(store, first).roles
    step(store, first, "undo")
    assert kit_of(store, first) == before


def test_a_refused_edit_writes_nothing(shelf):
    store, first, _ = shelf
    before = kit_of(store, first)
    with pytest.raises(BadValueError):
        do(store, first, SetLayerFields("snare", 0, {"delay_ms": 9000.0}))
    with store.transaction() as session:
        assert load_song(session, first).row.revision == 1
    assert kit_of(store, first) == before


def test_house_kits_follow_the_program_until_they_are_edited(shelf):
    store, first, _ = shelf
    with store.transaction() as session:
        row = session.get(KitRow, "signal_box")
        row.voices = row.voices[:2]
    do(store, first, SetVoiceField("snare", "pan", -0.5))
    load_demo(store, songs=False)
    with store.transaction() as session:
        assert len(session.get(KitRow, "signal_box").voices) == 14
    assert kit_of(store, first).voice("snare").pan == -0.5


def library(store, **asked):
    with store.transaction() as session:
        index = sound_index(session)
        return [index.names[place] for place in search(index, Query(**asked))]


def some_id(store, name):
    with store.transaction() as session:
        return session.query(SoundRow).filter(SoundRow.name == name).one().id


def test_a_snare_of_three_sounds_is_folded_and_used_in_another_kit(shelf):
    store, first, second = shelf
    for name in ("snare, crack", "Dry Dock snare"):
        do(store, first, "kit_put", role="snare", sound_id=some_id(store, name))
    with store.transaction() as session:
        samples = sample_source(session)
        layered = load_song(session, first).kit.voice("snare")
        assert len(layered.layers) == 3
        before = [voice_audio(layered, zone, samples) for zone in range(8)]
    do(store, first, "kit_fold", role="snare", name="harbour crack")
    with store.transaction() as session:
        samples = sample_source(session)
        folded = load_song(session, first).kit.voice("snare")
        assert len(folded.layers) == 1
        for zone in range(8):
            after = voice_audio(folded, zone, samples)
            difference = np.sqrt(((before[zone] - after) ** 2).mean() / (before[zone] ** 2).mean())
            assert 20 * np.log10(difference + 1e-12) < -80
    assert library(store, source="folded") == ["harbour crack"]
    do(store, second, "kit", kit_key="signal_box")
    do(store, second, "kit_put", role="snare", layer=0, sound_id=some_id(store, "harbour crack"))
    assert kit_of(store, second).voice("snare").layers[0].sound == kit_of(store, first).voice("snare").layers[0].sound


def test_new_and_copied_kits_are_steps_of_the_song(shelf):
    store, first, second = shelf
    do(store, first, "kit_new", name="Harbour", source="copy")
    kit = kit_of(store, first)
    assert (kit.name, kit.voices) == ("Harbour", kit_of(store, second).voices)
    do(store, first, "kit_name", name="Mole")
    assert songs_with_kit(store.reader, kit.key) == 1
    assert kit_of(store, first).name == "Mole"
    do(store, second, "kit_new", name="Plain", source="new")
    assert kit_of(store, second).roles == FIRST_VOICES
    for song in (first, first, second):
        step(store, song, "undo")
    assert kit_of(store, first).name == kit_of(store, second).name == "Boathouse"


def test_a_voice_is_added_with_a_sound_of_its_role(shelf):
    store, first, _ = shelf
    kit = do(store, first, "kit_voice_on", role="bell").song.kit
    assert kit.voice("bell").layers[0].name == "Net Loft bell"
    with pytest.raises(EditRefusedError, match="already has a bell"):
        do(store, first, "kit_voice_on", role="bell")


def test_alternates_are_kept(shelf):
    store, first, _ = shelf
    do(store, first, "kit_alternate", role="snare", sound_id=some_id(store, "clap, wide"))
    assert kit_of(store, first).voice("snare").alternate(1).layers[0].name == "clap, wide"


def test_the_library_begins_full_and_the_same_content_comes_once(shelf):
    store, _, _ = shelf
    assert len(library(store)) > 100
    assert "Dry Dock kick" in library(store, role="kick", source="sampled")
    hit = np.random.default_rng(4).normal(0, 0.2, (6000, 1)).astype(np.float32)
    key = content_key(hit)
    with store.transaction() as session:
        save_samples(session, {key: hit})
        one = NewSound("gravel", "shaker", "yours", sampled(key))
        (row, new), *_ = add_sounds(session, [one], sample_source(session))
        other = NewSound("other name", "clap", "yours", sampled(key))
        (again, known), *_ = add_sounds(session, [other], sample_source(session))
        assert (new, known, row.id) == (True, False, again.id)
        np.testing.assert_allclose(sample_source(session)(key), hit, atol=2e-7)
        assert session.query(AudioRow).filter(AudioRow.hash == key).count() == 1


def test_favourites_names_and_what_was_taken_out(shelf):
    store, _, _ = shelf
    sound_id = some_id(store, "clap, wide")
    with store.transaction() as session:
        set_favourite(session, sound_id, True)
        rename_sound(session, sound_id, "clap, broad", None)
        mark_used(session, sound_id)
    assert library(store, favourite=True) == ["clap, broad"]
    assert library(store, recent=True)[0] == "clap, broad"
    with store.transaction() as session:
        remove_sound(session, sound_id)
    assert library(store, favourite=True) == []
    load_demo(store, songs=False)  # a new start does not bring back what was taken out
    assert "clap, broad" not in library(store)
    with store.transaction() as session:
        remove_sound(session, sound_id, removed=False)
        assert [row.name for row in sounds_by_id(session, [sound_id])] == ["clap, broad"]
    assert library(store, favourite=True) == ["clap, broad"]
