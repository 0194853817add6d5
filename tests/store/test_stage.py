"""Where sounds stand, kept: every edit undone, copies that name their own parts, words for what cannot be."""

from __future__ import annotations

import pytest

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.store.history.undo_log import undo_words
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.selection import ANYWHERE
from easy_pocket.store.songs.stage_doc import stage_of
from easy_pocket.web import stage_constants
from tests.editing import do, step


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        hits = (Hit("kick", 0, 110), Hit("snare", 960, 100), Hit("hat_closed", 480, 70))
        return create_song(session, "Ferry Bell", tempo_bpm=104, hits=hits).id


def loaded(store, song_id):
    with store.transaction() as session:
        return load_song(session, song_id, ANYWHERE).values


def place_of(store, song_id, voice):
    return f"part:{loaded(store, song_id).part.id}:{voice}"


def test_every_edit_of_the_stage_is_taken_back_and_made_again(store, song_id):
    kick, snare = place_of(store, song_id, "kick"), place_of(store, song_id, "snare")
    edits = [
        ("stage_chain", {"where": kick, "chain": [{"kind": "tone"}, {"kind": "drive"}]}),
        ("stage_unit", {"where": kick, "at": 1, "settings": {"amount_percent": 60}}),
        ("stage_unit", {"where": kick, "at": 0, "on": False}),
        ("stage_chain", {"where": kick, "chain": [{"kind": "drive"}]}),
        ("stage_send", {"where": snare, "to": "long", "percent": 30}),
        ("stage_move", {"where": snare, "pan": -0.4, "to": "short", "percent": 12}),
        ("stage_group", {"name": "both", "members": [kick, snare]}),
        ("stage_chain", {"where": "group:g1", "chain": [{"kind": "duck"}]}),
        ("stage_return", {"name": "long", "settings": {"length_s": 2.4}}),
        ("stage_return", {"name": "echo", "settings": {"beats": 0.5}}),
        ("stage_ceiling", {"ceiling_db": -3}),
        ("stage_settings", {"to": "B", "name": "open"}),
        ("stage_chain", {"where": "whole", "chain": [{"kind": "wide"}]}),
        ("stage_on", {"on": False}),
        ("stage_add", {"where": "whole", "unit": {"kind": "tone"}}),
        ("stage_settings", {"to": "A"}),
        ("stage_group", {"key": "g1", "name": "both", "members": []}),
    ]
    states, words = [loaded(store, song_id).stage_doc], []
    for kind, values in edits:
        do(store, song_id, kind, **values)
        states.append(loaded(store, song_id).stage_doc)
        with store.transaction() as session:
            words.append(undo_words(session, song_id)[0])
    assert words[:3] == ["tone on kick", "drive of kick: amount", "tone of kick off"]
    assert words[4] == "snare to the long room 30 %"
    assert words[-1] == "take the group both away"
    for before in reversed(states[:-1]):
        step(store, song_id, "undo")
        assert loaded(store, song_id).stage_doc == before
    for after in states[1:]:
        step(store, song_id, "redo")
        assert loaded(store, song_id).stage_doc == after
    assert stage_of(states[-1]).groups == ()


def test_a_copy_has_the_stage_of_its_own_parts(store, song_id):
    kick, snare = place_of(store, song_id, "kick"), place_of(store, song_id, "snare")
    do(store, song_id, "stage_group", name="both", members=[kick, snare])
    do(store, song_id, "stage_chain", where=snare, chain=[{"kind": "compressor", "settings": {"side": kick}}])
    do(store, song_id, "stage_chain", where="group:g1", chain=[{"kind": "duck", "settings": {"by": f"kick {snare}"}}])
    with store.transaction() as session:
        copy_id = duplicate_song(session, song_id).id
    copy = loaded(store, copy_id)
    moved = {voice: f"part:{copy.part.id}:{voice}" for voice in ("kick", "snare")}
    assert moved["kick"] != kick
    assert copy.stage.groups[0].members == (moved["kick"], moved["snare"])
    assert copy.stage.place(moved["snare"]).chain[0].settings["side"] == moved["kick"]
    assert copy.stage.place("group:g1").chain[0].settings["by"] == f"kick {moved['snare']}"


@pytest.mark.parametrize(
    ("kind", "values", "words"),
    [
        ("stage_chain", {"where": "nowhere", "chain": []}, "no place"),
        ("stage_chain", {"where": "part:999999:kick", "chain": []}, "on no rail any more"),
        ("stage_chain", {"where": "group:g7", "chain": []}, "group is gone"),
        ("stage_chain", {"where": "whole", "chain": [{"kind": "compressor", "settings": {"side": "whole"}}]}, "fed by"),
        ("stage_unit", {"where": "whole", "at": 3}, "unit is gone"),
        ("stage_send", {"where": "long", "to": "short", "percent": 10}, "round and round"),
        ("stage_send", {"where": "whole", "to": "echo", "percent": 10}, "round and round"),
        ("stage_group", {"name": "none", "members": []}, "A group of nothing"),
        ("stage_return", {"name": "long", "settings": {"length_s": 60}}, "between 0.1 and 6"),
        ("stage_return", {"name": "echo", "settings": {"feedback_percent": 120}}, "between 0 and 95"),
        ("stage_ceiling", {"ceiling_db": 6}, "The ceiling"),
    ],
)
def test_what_cannot_be_is_said_and_nothing_is_changed(store, song_id, kind, values, words):
    with pytest.raises((BadValueError, EditRefusedError), match=words):
        do(store, song_id, kind, **values)
    assert loaded(store, song_id).stage_doc == {}


def test_the_page_has_the_numbers_of_the_core():
    assert stage_constants.SCRIPT.read_text() == stage_constants.script()
