"""Printing: what is heard becomes a loop, a part of slices or a sound; as it was heard, and taken back by undo."""

from __future__ import annotations

import numpy as np
import pytest

from easy_pocket.core.errors import BadValueError, PocketError
from easy_pocket.core.formats.exchange import MixChoice
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.progress import no_progress
from easy_pocket.store.kits.sound_library import sound_index
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.edits.pipeline import SentEdit, make_edit
from easy_pocket.store.songs.edits.prepared import keep_prepared, prepare_long
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.mixes import pattern_to_mix
from easy_pocket.store.songs.prints import print_place
from easy_pocket.store.songs.selection import ANYWHERE
from tests.conftest import fresh_kits
from tests.editing import ADAPTER, do, step

HITS = (Hit("kick", 0, 110), Hit("snare", 960, 100), Hit("hat_closed", 480, 70), Hit("kick", 2200, 90, 6.0))


@pytest.fixture(autouse=True)
def mended(store):
    """Kits that are made here do not stay."""
    yield
    fresh_kits(store)


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        return create_song(session, "Ferry Bell", tempo_bpm=104, hits=HITS).id


def loaded(store, song_id):
    with store.transaction() as session:
        return load_song(session, song_id, ANYWHERE).values


def before_the_ceiling(store, song_id):
    return pattern_to_mix(store.reader, loaded(store, song_id), "felt", MixChoice()).mix.before


def away_db(one, other):
    left = np.sqrt(((one - other) ** 2).mean()) / np.sqrt((other**2).mean())
    return 20 * np.log10(left + 1e-12)


def part_place(store, song_id, voice=None):
    return f"part:{loaded(store, song_id).part.id}" + (f":{voice}" if voice else "")


def placed(store, song_id):
    """With a chain, a group that is glued and a room, so that a print has something to hold."""
    kick, snare, hat = (part_place(store, song_id, voice) for voice in ("kick", "snare", "hat_closed"))
    do(store, song_id, "stage_add", where=hat, unit={"kind": "tone", "settings": {"low_cut_hz": 400}})
    do(store, song_id, "stage_send", where=snare, to="short", percent=30)
    do(store, song_id, "stage_group", name="both", members=[snare, hat])
    do(store, song_id, "stage_add", where="group:g1", unit={"kind": "compressor"})
    return kick, snare, hat


@pytest.mark.parametrize("to", ["loop", "slices"])
def test_what_is_printed_plays_as_it_was_heard(store, song_id, to):
    placed(store, song_id)
    heard = before_the_ceiling(store, song_id)
    do(store, song_id, "print", where=part_place(store, song_id), to=to, mute=True)
    song = loaded(store, song_id)
    if to == "loop":
        (loop,) = song.layered_loops
        assert loop.settings.level_db == pytest.approx(3.0)
    assert away_db(before_the_ceiling(store, song_id), heard) < (-80 if to == "loop" else -40)


def test_every_print_is_taken_back_and_made_again(store, song_id):
    kick, *_ = placed(store, song_id)
    was = loaded(store, song_id)
    sounds = len(sound_index(store.reader).ids)
    do(store, song_id, "print", where=kick.rpartition(":")[0], to="sound", name="Ferry hit")
    do(store, song_id, "print", where="group:g1", to="loop", speed=0.5, pitch_semitones=-12, mute=True)
    do(store, song_id, "print", where=kick, to="slices", mute=True)
    after = loaded(store, song_id)
    assert len(after.parts) == 2
    assert len(after.layered_loops) == 1
    index = sound_index(store.reader)
    assert len(index.ids) == sounds + 1
    assert "Ferry hit" in index.names
    for _ in range(3):
        step(store, song_id, "undo")
    now = loaded(store, song_id)
    assert (now.parts, now.layered_loop_docs, now.mix) == (was.parts, was.layered_loop_docs, was.mix)
    assert len(sound_index(store.reader).ids) == sounds
    for _ in range(3):
        step(store, song_id, "redo")
    again = loaded(store, song_id)
    assert (again.parts, again.layered_loop_docs) == (after.parts, after.layered_loop_docs)
    assert len(sound_index(store.reader).ids) == sounds + 1


def test_a_print_knows_its_bars_and_hits(store, song_id):
    do(store, song_id, "print", where=part_place(store, song_id, "kick"), to="loop", chains=False, rooms=False)
    (loop,) = loaded(store, song_id).layered_loops
    reading = loop.found["reading"]
    assert reading["tempo_bpm"] == pytest.approx(104)
    assert reading["bars"] == 2
    played = loaded(store, song_id).performance()
    kicks = played.loop_ms[played.hits.voice_index == played.hits.voices.index("kick")] / 1000
    assert loop.found["time_s"] == pytest.approx(sorted(kicks), abs=1 / 44_100)


def test_bars_of_the_song_are_printed_for_its_sections(store, song_id):
    section = loaded(store, song_id).section_id
    do(store, song_id, "section_set", section_id=section, field="repeats", value=4)
    do(store, song_id, "print", where="whole", of="song", from_bar=2, bars=2, to="loop")
    (loop,) = loaded(store, song_id).layered_loops
    assert loop.found["duration_s"] == pytest.approx(2 * 4 * 60 / 104, abs=1e-4)


@pytest.mark.parametrize(
    ("sent", "words"),
    [
        ({"where": "long", "to": "loop"}, "room alone is not printed"),
        ({"where": "whole", "to": "loop", "from_bar": 9}, "first bar is 9"),
        ({"where": "whole", "to": "loop", "speed": 3}, "half, its own or double speed"),
        ({"where": "whole", "to": "loop", "pitch_semitones": 90}, "pitch is 90"),
        ({"where": "group:g7", "to": "loop"}, "group is gone"),
        ({"where": "part:999:kick", "to": "loop"}, "gone"),
    ],
)
def test_what_cannot_be_printed_is_said_and_nothing_is_changed(store, song_id, sent, words):
    was = loaded(store, song_id)
    with pytest.raises(PocketError, match=words):
        do(store, song_id, "print", **sent)
    assert loaded(store, song_id).revision == was.revision


def test_silence_and_two_hours_are_refused_in_words(store, song_id):
    part = loaded(store, song_id).part.id
    do(store, song_id, "mix", part_id=part, voice="kick", field="mute", value=True)
    with pytest.raises(PocketError, match="silent in these bars"):
        do(store, song_id, "print", where=f"part:{part}:kick", to="loop")
    section = loaded(store, song_id).section_id
    do(store, song_id, "section_set", section_id=section, field="bars", value=4)
    do(store, song_id, "section_set", section_id=section, field="repeats", value=64)
    with pytest.raises(PocketError, match="a print lasts at most 5"):
        do(store, song_id, "print", where="whole", of="song", to="loop")


def sent_print(store, song_id, **values):
    return ADAPTER.validate_python({"kind": "print", "where": part_place(store, song_id), "to": "loop", **values})


def test_what_was_computed_before_is_used_for_the_same_song_and_edit_only(store, song_id, monkeypatch):
    placed(store, song_id)
    edit, told = sent_print(store, song_id), []
    keep_prepared(
        *prepare_long(store.reader, song_id, ANYWHERE, edit, lambda share, words: told.append((share, words)))
    )
    assert [share for share, _ in told] == sorted(share for share, _ in told)
    assert told[-1] == (0.9, "its hits")
    computed = []
    monkeypatch.setattr(
        "easy_pocket.store.songs.edits.prints.print_place",
        lambda *given: computed.append(given[2].bars) or print_place(*given),
    )
    make_edit(store, song_id, SentEdit(sent_print(store, song_id, bars=1)))
    assert computed == [1]  # of another edit
    make_edit(store, song_id, SentEdit(edit))
    assert computed == [1, 0]  # the song is another one since
    keep_prepared(*prepare_long(store.reader, song_id, ANYWHERE, edit, no_progress))
    del computed[:]
    made = make_edit(store, song_id, SentEdit(edit))
    assert computed == []
    assert len(made.song.layered_loops) == 3
    with pytest.raises(BadValueError, match="needs no preparing"):
        prepare_long(
            store.reader, song_id, ANYWHERE, ADAPTER.validate_python({"kind": "tempo", "tempo_bpm": 90}), no_progress
        )
