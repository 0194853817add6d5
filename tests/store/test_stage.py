"""Where sounds stand, kept: every edit undone, copies that name their own parts, words for what cannot be."""

from __future__ import annotations

import numpy as np
import pytest

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.stage.mix_stage import mix_stage
from easy_pocket.store.history.undo_log import undo_words
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.mixes import song_sound, stack_sound
from easy_pocket.store.songs.selection import ANYWHERE, Selection
from easy_pocket.store.songs.stage_doc import stage_of
from easy_pocket.web import stage_constants
from tests.conftest import fresh_kits
from tests.editing import do, step


@pytest.fixture(autouse=True)
def mended(store):
    """Kits that are made here do not stay."""
    yield
    fresh_kits(store)


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
        ("stage_later", {"where": snare, "later_ms": 12}),
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


def with_two_sections(store, song_id):
    """The ids of both; the second one is a copy."""
    first = loaded(store, song_id).section_id
    do(store, song_id, "section_add", after_id=first, how="copy")
    return [one.id for one in loaded(store, song_id).sections]


def test_a_section_has_levels_rooms_and_switches_of_its_own(store, song_id):
    first, second = with_two_sections(store, song_id)
    kick, snare = place_of(store, song_id, "kick"), place_of(store, song_id, "snare")
    do(store, song_id, "stage_chain", where=kick, chain=[{"kind": "tone"}, {"kind": "drive", "on": False}])
    before = loaded(store, song_id).stage_doc
    edits = [
        ("stage_unit", {"where": kick, "at": 0, "on": False, "section_id": second}),
        ("stage_unit", {"where": kick, "at": 1, "on": True, "section_id": second}),
        ("stage_send", {"where": snare, "to": "long", "percent": 40, "section_id": second}),
        ("stage_level", {"where": snare, "level_db": -9, "section_id": second}),
    ]
    for kind, values in edits:
        do(store, song_id, kind, **values)
    stage = loaded(store, song_id).stage
    there, here = stage.in_section(second), stage.in_section(first)
    assert [unit.on for unit in there.place(kick).chain] == [False, True]
    assert [unit.on for unit in here.place(kick).chain] == [True, False]
    assert dict(there.place(snare).sends) == {"long": 40}
    assert here.place(snare).is_plain
    assert stage.sections[second].levels == {snare: -9}
    # A unit put in front: the switches stay with their units.
    do(store, song_id, "stage_chain", where=kick, chain=[{"kind": "wide"}, {"kind": "tone"}, {"kind": "drive"}])
    chain = loaded(store, song_id).stage.in_section(second).place(kick).chain
    assert [(unit.kind, unit.on) for unit in chain] == [("wide", True), ("tone", False), ("drive", True)]
    do(store, song_id, "stage_section_clear", section_id=second)
    assert second not in loaded(store, song_id).stage.sections
    for _ in range(len(edits) + 2):
        step(store, song_id, "undo")
    assert loaded(store, song_id).stage_doc == before


def test_copies_variations_and_copies_of_the_song_stand_as_their_section_does(store, song_id):
    _, second = with_two_sections(store, song_id)
    snare = place_of(store, song_id, "snare")
    do(store, song_id, "stage_send", where=snare, to="echo", percent=25, section_id=second)
    do(store, song_id, "section_add", after_id=second, how="variation")
    do(store, song_id, "section_add", after_id=second, how="copy")
    song = loaded(store, song_id)
    sends = [dict(song.stage.in_section(one.id).place(snare).sends) for one in song.sections]
    assert sends == [{}, {"echo": 25}, {"echo": 25}, {"echo": 25}]
    variation = next(one.id for one in song.sections if one.parent_id)
    do(store, song_id, "section_take", section_id=second)
    assert dict(loaded(store, song_id).stage.in_section(variation).place(snare).sends) == {"echo": 25}
    with store.transaction() as session:
        copy_id = duplicate_song(session, song_id).id
    copy = loaded(store, copy_id)
    snare = place_of(store, copy_id, "snare")
    assert [bool(copy.stage.in_section(one.id).place(snare).sends) for one in copy.sections] == [False, True, True]
    do(store, song_id, "song_flat")
    flat = loaded(store, song_id)
    snare = place_of(store, song_id, "snare")
    assert [bool(flat.stage.in_section(one.id).place(snare).sends) for one in flat.sections] == [False, True, True]


def test_a_section_is_heard_with_its_own_in_its_loop_and_in_the_song(store, song_id):
    _, second = with_two_sections(store, song_id)
    kick, snare = place_of(store, song_id, "kick"), place_of(store, song_id, "snare")
    for where, level_db in ((kick, -60), (snare, -6)):
        do(store, song_id, "stage_level", where=where, level_db=level_db, section_id=second)
    song = loaded(store, song_id)
    sound, music = song_sound(store.reader, song)
    half = round(music.length_s / 2 * 44_100)
    for where, wanted_db in ((kick, -60), (snare, -6)):  # within what strokes in turn differ by
        line = np.abs(sound.line(where)).max(axis=0)
        assert 20 * np.log10(line[half:].max() / line[:half].max()) == pytest.approx(
            wanted_db, abs=0.3
        )  # strokes in turn
    with store.transaction() as session:
        there = load_song(session, song_id, Selection(0, 0, second)).values
    loop, _ = stack_sound(store.reader, there)
    usual, _ = stack_sound(store.reader, song)
    quieter = np.abs(loop.line(snare)).max() / np.abs(usual.line(snare)).max()
    assert 20 * np.log10(quieter) == pytest.approx(-6, abs=0.1)


@pytest.mark.parametrize(
    ("kind", "values", "words"),
    [
        ("stage_level", {"level_db": 40}, "level is 40"),
        ("stage_send", {"to": "long", "percent": 140}, "What goes to long is 140"),
        ("stage_section_clear", {}, "nothing of its own"),
    ],
)
def test_what_a_section_cannot_have_is_said(store, song_id, kind, values, words):
    where = place_of(store, song_id, "kick")
    section = loaded(store, song_id).section_id
    sent = {"where": where, "section_id": section, **values}
    with pytest.raises((BadValueError, EditRefusedError), match=words):
        do(store, song_id, kind, **sent)
    with pytest.raises(EditRefusedError, match="section is gone"):
        do(store, song_id, "stage_level", where=where, section_id=99_999, level_db=0)


def test_a_kit_brings_a_chain_of_its_own_along(store, song_id):
    part = loaded(store, song_id).part.id
    kick = f"part:{part}:kick"
    chain = [{"kind": "tone", "settings": {"low_cut_hz": 300}}, {"kind": "wide", "on": False}]
    with store.transaction() as session:
        other_id = create_song(session, "Slack Water", tempo_bpm=90, hits=(Hit("kick", 0, 110),)).id
    do(store, song_id, "kit_new", name="Mole", source="copy")
    do(store, song_id, "kit_chain", part_id=part, role="kick", chain=chain)
    song = loaded(store, song_id)
    assert [unit.kind for unit in song.stage.kit_chains[kick]] == ["tone"]  # what is off does nothing
    assert song.stage_doc == {}
    assert loaded(store, other_id).stage.kit_chains == {}
    # The same as a chain of the song: heard alike.
    of_kit = mix_stage(*_with_stage(store, song)).before
    do(store, song_id, "kit_chain", part_id=part, role="kick", chain=[])
    do(store, song_id, "stage_chain", where=kick, chain=chain)
    of_song = mix_stage(*_with_stage(store, loaded(store, song_id))).before
    assert np.abs(of_kit - of_song).max() < 1e-9
    do(store, other_id, "kit", kit_key=song.part.kit_key)
    step(store, song_id, "undo")
    step(store, song_id, "undo")
    assert [unit.kind for unit in loaded(store, song_id).stage.kit_chains[kick]] == ["tone"]
    assert len(loaded(store, other_id).stage.kit_chains) == 1


def _with_stage(store, song):
    sound, music = stack_sound(store.reader, song)
    return sound, song.stage_here, music


@pytest.mark.parametrize(
    "unit",
    [{"kind": "compressor", "settings": {"side": "part:1:kick"}}, {"kind": "duck", "settings": {"by": "part:1:kick"}}],
)
def test_a_chain_of_a_kit_listens_to_no_song(store, song_id, unit):
    part = loaded(store, song_id).part.id
    with pytest.raises(EditRefusedError, match="listens to no voice of a song"):
        do(store, song_id, "kit_chain", part_id=part, role="kick", chain=[unit])


def test_parts_that_are_copied_split_and_merged_keep_their_chains(store, song_id):
    part = loaded(store, song_id).part
    kick, snare, hat = (place_of(store, song_id, voice) for voice in ("kick", "snare", "hat_closed"))
    do(store, song_id, "stage_add", where=kick, unit={"kind": "drive"})
    do(store, song_id, "stage_send", where=snare, to="long", percent=30)
    do(store, song_id, "stage_group", name="both", members=[snare, hat])
    do(store, song_id, "stage_add", where=f"part:{part.id}", unit={"kind": "tone"})
    do(store, song_id, "part_copy", part_id=part.id, kit_key="boathouse")
    copy = next(one for one in loaded(store, song_id).parts if one.id != part.id)
    stage = loaded(store, song_id).stage
    assert [unit.kind for unit in stage.place(f"part:{copy.id}:kick").chain] == ["drive"]
    assert f"part:{copy.id}:snare" in stage.groups[0].members
    do(store, song_id, "part_split", part_id=copy.id)
    split = {one.voices[0]: one.id for one in loaded(store, song_id).parts if one.id != part.id}
    stage = loaded(store, song_id).stage
    assert [unit.kind for unit in stage.place(f"part:{split['kick']}:kick").chain] == ["drive"]
    assert dict(stage.place(f"part:{split['snare']}:snare").sends) == {"long": 30}
    assert [unit.kind for unit in stage.place(f"part:{split['hat_closed']}").chain] == ["tone"]
    do(store, song_id, "part_merge", part_id=split["hat_closed"], other_id=split["kick"])
    stage = loaded(store, song_id).stage
    assert [unit.kind for unit in stage.place(f"part:{split['hat_closed']}:kick").chain] == ["drive"]
    before = loaded(store, song_id)
    step(store, song_id, "undo")
    step(store, song_id, "redo")
    assert loaded(store, song_id).stage_doc == before.stage_doc
