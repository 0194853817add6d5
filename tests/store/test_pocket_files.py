"""A song as one file: out and in with everything equal, by bytes; and what is no song."""

from __future__ import annotations

import io
import json
import zipfile
from dataclasses import replace
from pathlib import Path

import jsonschema_rs
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from easy_pocket.core.errors import PocketError
from easy_pocket.core.formats.audio_names import renamed
from easy_pocket.core.formats.exchange import MixChoice
from easy_pocket.core.formats.kit_file import read_kit_file, write_kit_file
from easy_pocket.core.formats.pocket_file import SongContents, read_song_file, write_song_file
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.core.sound.one_shot import content_key
from easy_pocket.core.sound.sound import sampled
from easy_pocket.demo.tidewater import ferry_bell, slack_water, three_piers
from easy_pocket.samples import house_kits
from easy_pocket.store.history.undo_log import NothingToUndoError, change_list
from easy_pocket.store.ideas.log import log_idea, logged_ideas
from easy_pocket.store.kits.kits import kit_names
from easy_pocket.store.schema.tables import AudioRow, HandRow, SongRow, SoundRow, TemplateRow
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song, read_song
from easy_pocket.store.songs.mixes import pattern_to_mix
from easy_pocket.store.songs.pocket_files import song_contents, song_from_contents
from easy_pocket.store.songs.selection import Selection
from easy_pocket.store.songs.song_history import shorten
from easy_pocket.store.takes.hands import hands
from easy_pocket.store.takes.takes import takes_of
from tests.editing import do, step

SCHEMA = Path("docs/formats/song.schema.json")
OLD = Path(__file__).parent / "song_files"
FIRST = OLD / "version-1.pocket"


@pytest.fixture
def demo(store):
    """The demo's songs, one of them with a take, and one of a file with a loop in it."""
    with store.transaction() as session:
        rows = [make(session) for make in (slack_water, ferry_bell, three_piers)]
        found = {row.name: row.id for row in rows}
        found["with a loop"] = song_from_contents(session, read_song_file(FIRST.read_bytes(), "x"), "x").id
    for hits in ([("kick", 4.0, 90), ("snare", 700.0, 80, 1)], [("kick", -3.0, 95)]):
        do(store, found["Slack Water"], "take_pass", length_ticks=7680, tempo_bpm=72, hits=hits)
    return found


@pytest.fixture
def piers(store):
    with store.transaction() as session:
        return three_piers(session).id


def packed(store, song_id):
    with store.transaction() as session:
        return write_song_file(song_contents(session, song_id))


def opened(store, data, **values):
    with store.transaction() as session:
        return song_from_contents(session, read_song_file(data, "x.pocket"), "x.pocket", **values).id


def events(store, song_id):
    with store.transaction() as session:
        song = load_song(session, song_id).values
        played = perform_song(song.arrangement)
        order = {part.id: number for number, part in enumerate(song.parts)}
        return [(order[one.part.key], one.played_ms.tolist(), one.velocity.tolist()) for one in played.parts]


def test_every_demo_song_goes_out_and_in_with_the_same_bytes_after_the_schema(store, demo):
    assert len(demo) > 3
    schema = json.loads(SCHEMA.read_text())
    for name, song_id in demo.items():
        data = packed(store, song_id)
        assert packed(store, song_id) == data
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            jsonschema_rs.validate(schema, json.loads(archive.read("song.json")))
        other = opened(store, data)
        assert other != song_id
        assert packed(store, other) == data, name
        assert events(store, other) == events(store, song_id)


def test_kits_and_grooves_that_are_here_are_used_and_those_that_are_not_come_along(store):
    data = FIRST.read_bytes()
    opened(store, data)
    with store.transaction() as session:
        kits, grooves = len(kit_names(session)), session.query(TemplateRow).count()
    opened(store, data)
    with store.transaction() as session:
        assert (len(kit_names(session)), session.query(TemplateRow).count()) == (kits, grooves)
    contents = read_song_file(data, "x.pocket")
    doc = json.loads(json.dumps(contents.doc))
    doc["kits"][0]["voices"][0]["level_db"] = -7.25
    doc["grooves"][0]["doc"]["name"] = "Another tide"
    other = opened(store, write_song_file(SongContents(doc, contents.audio)), name="From elsewhere")
    with store.transaction() as session:
        assert (len(kit_names(session)), session.query(TemplateRow).count()) == (kits + 1, grooves + 1)
        assert session.get_one(SongRow, other).name == "From elsewhere"


def test_on_a_bare_shelf_it_opens_with_its_audio(store):
    keys = list(read_song_file(FIRST.read_bytes(), "x.pocket").audio)
    with store.transaction() as session:
        session.query(SongRow).delete()
        session.query(AudioRow).filter(AudioRow.hash.in_(keys)).delete()
    assert packed(store, opened(store, FIRST.read_bytes())) == FIRST.read_bytes()


@pytest.mark.parametrize("path", sorted(OLD.glob("*.pocket")), ids=lambda path: path.name)
def test_files_of_every_version_open_for_good(store, path):
    song_id = opened(store, path.read_bytes())
    assert sum(len(times) for _, times, _ in events(store, song_id)) > 20


@settings(max_examples=10, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(
    hits=st.dictionaries(
        st.tuples(st.sampled_from(["kick", "snare"]), st.integers(0, 31)), st.integers(1, 127), max_size=8
    ),
    tempo_bpm=st.floats(40, 220).map(lambda bpm: round(bpm, 2)),
    sections=st.lists(st.tuples(st.integers(1, 8), st.integers(1, 4)), max_size=3),
    swing=st.floats(50, 66).map(lambda percent: round(percent, 1)),
)
def test_any_song_comes_back_as_it_was(store, hits, tempo_bpm, sections, swing):
    with store.transaction() as session:
        song_id = create_song(session, "Any", tempo_bpm=tempo_bpm).id
    for (voice, slot), velocity in hits.items():
        do(store, song_id, "write", voice=voice, tick=slot * 240, velocity=velocity)
    do(store, song_id, "feel", scope="stack", field="swing_percent", value=swing)
    for bars, repeats in sections:
        added = do(store, song_id, "section_add").song.sections[-1].id
        do(store, song_id, "section_set", section_id=added, field="bars", value=bars)
        do(store, song_id, "section_set", section_id=added, field="repeats", value=repeats)
    data = packed(store, song_id)
    other = opened(store, data)
    assert packed(store, other) == data
    assert events(store, other) == events(store, song_id)


IDEA = {
    "words": "new snare at 2.3", "key": "abc", "tags": ["busier"], "seed": 4, "length_ticks": 7680, "facts": {},
    "changes": [{"kind": "add", "gone": [], "come": [["snare", 5760, 74, 0.0]], "words": "new snare at 2.3"}],
}  # fmt: skip


def with_ideas(store, song_id):
    """The song with an idea that is pinned, one that was taken, and one that was dropped."""
    with store.transaction() as session:
        song = load_song(session, song_id).values
        for number, state in enumerate(("pinned", "taken", "dropped")):
            log_idea(session, song, "vary", state, {**IDEA, "seed": number})


def test_ideas_that_were_kept_come_along(store, piers):
    plain = packed(store, piers)
    with_ideas(store, piers)
    data = packed(store, piers)
    assert read_song_file(data, "x.pocket").doc["ideas"][0]["doc"] == {**IDEA, "seed": 0}
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        told = json.loads(archive.read("song.json"))
    assert told["version"] == 2
    jsonschema_rs.validate(json.loads(SCHEMA.read_text()), told)
    with zipfile.ZipFile(io.BytesIO(plain)) as archive:
        assert json.loads(archive.read("song.json"))["version"] == 1  # older programs can read it
    other = opened(store, data)
    assert packed(store, other) == data
    with store.transaction() as session:
        song = load_song(session, other).values
        rows = logged_ideas(session, song)
        assert sorted(row.state for row in rows) == ["pinned", "taken"]
        log_idea(session, song, "vary", "pinned", {**IDEA, "seed": 0})  # it is known, not kept twice
        assert len(logged_ideas(session, song)) == 2


NO_IDEAS = {
    "of no pattern": lambda idea: idea.update(pattern_id=99),
    "in no state": lambda idea: idea.update(state="lost"),
    "without words": lambda idea: idea["doc"].pop("words"),
    "with a tag that is a number": lambda idea: idea["doc"].update(tags=[7]),
    "without end": lambda idea: idea["doc"].update(length_ticks=10**9),
    "with hits that are none": lambda idea: idea["doc"]["changes"][0].update(come=[["snare", "x", 1, 0.0]]),
    "too loud": lambda idea: idea["doc"]["changes"][0].update(come=[["snare", 0, 700, 0.0]]),
    "that is a list": lambda idea: idea.update(doc=[]),
}


@pytest.mark.parametrize("change", NO_IDEAS.values(), ids=NO_IDEAS.keys())
def test_ideas_that_are_none_are_refused(store, piers, change):
    with_ideas(store, piers)
    data = with_doc(packed(store, piers), lambda doc: change(doc["ideas"][0]))
    with pytest.raises(PocketError, match=r"x\.pocket does not hold a song"):
        opened(store, data)


def with_doc(data, change):
    contents = read_song_file(data, "x.pocket")
    doc = json.loads(json.dumps(contents.doc))
    change(doc)
    return write_song_file(SongContents(doc, contents.audio))


HOSTILE = {
    "a part of a kit there is none of": lambda doc: doc["parts"][0].update(kit_key=99),
    "hits that are none": lambda doc: doc["patterns"][0].update(hits=[["kick", "x"]]),
    "hits without end": lambda doc: doc["patterns"][0].update(length_ticks=10**12),
    "a feel that is a number": lambda doc: doc["parts"][0].update(feel=7),
    "a name of a thousand letters": lambda doc: doc["parts"][0].update(name="n" * 1000),
    "no sections' bars": lambda doc: doc["sections"][0].update(bars=-4),
    "a tempo that is none": lambda doc: doc["song"].update(tempo_bpm=1e300),
    "no metre": lambda doc: doc["song"].pop("metre_beats"),
    "a stage of words": lambda doc: doc["song"].update(stage="loud"),
    "cells of parts that are none": lambda doc: doc["sections"][0].update(cells={"x": {}}),
    "a guide whose audio is not there": lambda doc: doc["song"].update(
        guide={"audio_hash": "ab" * 32, "name": "x", "duration_s": 9.0}
    ),
    "a part that is of no table": lambda doc: doc["patterns"][0].update(part_id=77),
    "a voice that cannot be": lambda doc: doc["kits"][0]["voices"][0].update(role="<script>"),
}


@pytest.mark.parametrize("change", HOSTILE.values(), ids=HOSTILE.keys())
def test_rows_that_are_no_song_are_refused_and_leave_nothing(store, piers, change):
    data = with_doc(packed(store, piers), change)
    with store.transaction() as session:
        before = session.query(SongRow).count(), len(kit_names(session))
    with pytest.raises(PocketError, match=r"x\.pocket does not hold a song as Easy Pocket writes it"):
        opened(store, data)
    with store.transaction() as session:
        assert (session.query(SongRow).count(), len(kit_names(session))) == before


def test_a_loop_that_was_never_heard_is_refused(store):
    data = with_doc(FIRST.read_bytes(), lambda doc: doc["loops"][0].update(found={}))
    with pytest.raises(PocketError, match=r"x\.pocket does not hold a song"):
        opened(store, data)


def steps_back(store, song_id, count):
    return [step(store, song_id, "undo") for _ in range(count)]


def with_a_past(store, song_id):
    """Changes of every table a song has, some of them taken back."""
    part = load(store, song_id).parts[0].id
    do(store, song_id, "part_add", name="Second", kit_key="net_loft")
    second = load(store, song_id).parts[-1].id
    do(store, song_id, "section_add")
    section = load(store, song_id).sections[-1].id
    do(store, song_id, "section_set", section_id=section, field="bars", value=3)
    do(store, song_id, "section_take", section_id=section)
    do(store, song_id, "take_pass", length_ticks=7680, tempo_bpm=94, hits=[("kick", 4.0, 90)])
    do(store, song_id, "kit_new", name="Own", source="new")
    do(store, song_id, "part_take", part_id=second)
    do(store, song_id, "tempo", tempo_bpm=101.5)
    do(store, song_id, "song_flat")
    do(store, song_id, "feel", scope="stack", field="swing_percent", value=61)
    do(store, song_id, "feel", scope="part", field="jitter_ms", value=4, selection=Selection(part))
    step(store, song_id, "undo")


def load(store, song_id):
    return read_song(store.reader, song_id)


def test_history_goes_along_when_it_is_wanted_and_every_step_can_be_taken_back_and_made_again(store, piers):
    with_a_past(store, piers)
    data = with_history(store, piers)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        told = json.loads(archive.read("song.json"))
    assert told["version"] == 3
    jsonschema_rs.validate(json.loads(SCHEMA.read_text()), told)
    assert the_song(store, piers)["history"] == []
    other = opened(store, data)
    assert [one["words"] for one in changes(store, other)] == [one["words"] for one in changes(store, piers)]
    count = len([one for one in changes(store, piers) if not one["undone"]])
    for number in range(count):  # the two go back side by side
        assert step(store, other, "undo") == step(store, piers, "undo")
        assert the_song(store, other) == the_song(store, piers), number
    for _ in range(count + 1):
        assert step(store, other, "redo") == step(store, piers, "redo")
    assert packed(store, other) == packed(store, piers)
    assert events(store, other) == events(store, piers)


def the_song(store, song_id):
    return read_song_file(packed(store, song_id), "x").doc


def with_history(store, song_id):
    with store.transaction() as session:
        return write_song_file(song_contents(session, song_id, history=True))


def changes(store, song_id):
    return change_list(store.reader, song_id)


NO_HISTORY = {
    "of a table there is none of": lambda step: step["patches"][0].update(table="token"),
    "that takes a row of another song": lambda step: step["patches"][0].update(fields={"song_id": [1, 2]}),
    "of a field there is none of": lambda step: step["patches"][0].update(fields={"__class__": [1, 2]}),
    "of no value": lambda step: step["patches"][0].update(fields={"tempo_bpm": ["x" * 9, 1]}),
    "that is a list": lambda step: step.update(patches=[[]]),
    "without words": lambda step: step.pop("words"),
}


@pytest.mark.parametrize("change", NO_HISTORY.values(), ids=NO_HISTORY.keys())
def test_history_that_is_none_is_refused(store, piers, change):
    do(store, piers, "tempo", tempo_bpm=101.5)
    data = with_doc(with_history(store, piers), lambda doc: change(doc["history"][-1]))
    with pytest.raises(PocketError, match=r"x\.pocket does not hold a song"):
        opened(store, data)


def test_undo_in_an_opened_song_leaves_kits_that_were_here_before(store, piers):
    do(store, piers, "kit_name", name="Tarred")
    other = opened(store, with_history(store, piers))
    assert "rename the kit" not in " ".join(one["words"] for one in changes(store, other))
    assert load(store, other).parts[0].kit_key == load(store, piers).parts[0].kit_key


def test_a_hand_that_was_learned_in_the_song_comes_along_once(store, piers):
    hits = [("kick" if n % 2 else "snare", n * 300.0 + n % 3, 80 + n % 7) for n in range(32)]
    do(store, piers, "take_pass", length_ticks=7680 * 4, tempo_bpm=100, hits=hits)
    with store.transaction() as session:
        take = takes_of(session, piers)[0].id
    do(store, piers, "hand_keep", take_id=take, name="Harbour hand")
    data = packed(store, piers)
    (hand,) = read_song_file(data, "x").doc["hands"]
    assert hand["name"] == "Harbour hand"
    opened(store, data)
    assert [one.name for one in hands(store.reader)].count("Harbour hand") == 1  # it is here
    with store.transaction() as session:
        session.query(HandRow).filter(HandRow.house.is_(None)).delete()
    opened(store, data)
    assert [one.name for one in hands(store.reader)].count("Harbour hand") == 1
    broken = with_doc(data, lambda doc: doc["hands"][0].update(doc={"slots": "many"}))
    with pytest.raises(PocketError, match=r"x\.pocket does not hold a song"):
        opened(store, broken)


def test_a_history_is_shortened_from_its_far_end_and_the_song_stays(store, piers):
    for number in range(6):
        do(store, piers, "tempo", tempo_bpm=100 + number)
    step(store, piers, "undo")
    before = packed(store, piers)
    with store.transaction() as session:
        assert shorten(session, piers, 9) == 0
        assert shorten(session, piers, 2) == 3
    assert [one["undone"] for one in changes(store, piers)] == [True, False, False]
    assert packed(store, piers) == before
    steps_back(store, piers, 2)
    assert load(store, piers).tempo_bpm == 102
    with pytest.raises(NothingToUndoError):
        step(store, piers, "undo")


def rewritten(data, **changes):
    found = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(found, "w") as new:
        for name in old.namelist():
            content = changes.get(name.split("/")[0].split(".")[0], lambda held: held)(old.read(name))
            if content is not None:
                new.writestr(name, content)
    return found.getvalue()


@pytest.mark.parametrize(
    ("song", "words"),
    [
        (lambda text: text.replace(b'"version": 1', b'"version": 9'), "saved by a newer Easy Pocket"),
        (lambda _: None, "is no song file of Easy Pocket"),
        (lambda _: b"[" * 100_000, "is no song file of Easy Pocket"),
        (lambda text: text.replace(b'"parts": [', b'"parts": [7, '), "does not hold a song"),
    ],
)
def test_what_is_no_song_file_is_refused_in_words(store, piers, song, words):
    data = packed(store, piers)
    with pytest.raises(PocketError, match=words):
        read_song_file(rewritten(data, song=song), "x.pocket")
    with pytest.raises(PocketError):
        read_song_file(b"PK not a zip", "x.pocket")


def test_a_recording_whose_name_is_none_is_refused_in_words(store, piers):
    odd = rewritten(
        packed(store, piers), song=lambda text: text.replace(b'"loops": []', b'"loops": [{"id": 1, "audio_hash": []}]')
    )
    assert odd != packed(store, piers)
    with pytest.raises(PocketError, match="does not hold a song"):
        opened(store, odd)


def test_audio_under_the_name_of_another_is_refused():
    data = FIRST.read_bytes()
    with pytest.raises(PocketError, match="is damaged"):
        read_song_file(rewritten(data, audio=lambda held: held[:-40] + bytes(40)), "x.pocket")


def song_with_changed_sounds(store):
    """Its kick was one printed sound, and is another."""
    with store.transaction() as session:
        session.query(SoundRow).filter(SoundRow.name.startswith("only ")).delete()  # sounds are kept from test to test
        song = create_song(session, "Ferry Bell", hits=(Hit("kick", 0, 100), Hit("snare", 960, 90))).id
    part = read_song(store.reader, song).part.id
    do(store, song, "kit_new", name="Own", source="song")
    for voice in ("kick", "snare"):
        do(store, song, "print", where=f"part:{part}:{voice}", to="sound", bars=1, name=f"only {voice}")
    asked = select(SoundRow.name, SoundRow.id).where(SoundRow.name.startswith("only "))
    names = dict(store.reader.execute(asked))
    for name in ("only snare", "only kick"):
        do(store, song, "kit_put", role="kick", layer=0, alternate=0, sound_id=names[name])
    return song


def test_sounds_that_only_a_step_names_come_along_so_that_it_can_be_taken_back(store):
    song = song_with_changed_sounds(store)
    step(store, song, "undo")
    before = mixed(store, song)
    step(store, song, "redo")
    after = mixed(store, song)
    with store.transaction() as session:
        data = write_song_file(song_contents(session, song, history=True))
    contents = read_song_file(data, "x")
    assert len(contents.audio) == 2
    step(store, song, "undo")  # so that there is no such kit
    with store.transaction() as session:
        session.query(AudioRow).filter(AudioRow.hash.in_(contents.audio)).delete()
    again = opened(store, data)
    assert np.array_equal(mixed(store, again), after)
    step(store, again, "undo")
    assert np.array_equal(mixed(store, again), before)


def test_to_know_the_name_of_a_recording_is_not_enough_to_have_it(store):
    """Audio is found by its content: a file that names some has it in it, though it is here already."""
    song = song_with_changed_sounds(store)
    with store.transaction() as session:
        whole = song_contents(session, song, history=True)
    for left_out in whole.audio:
        audio = {key: one for key, one in whole.audio.items() if key != left_out}
        with (
            pytest.raises(PocketError, match=f"the audio {left_out[:12]} is not in it"),
            store.transaction() as session,
        ):
            song_from_contents(session, SongContents(whole.doc, audio), "x")


def test_every_recording_of_a_sound_lies_under_the_name_of_what_is_kept():
    """Whatever its samples are: they are rounded as they are kept, and read again they have the same name."""
    noise = np.random.default_rng(3)
    for length in (1, 40, 64, 5000):
        for loudness in (0.3, 1.0, 1.7):
            frames = (noise.uniform(-loudness, loudness, (length, 2))).astype(np.float32)
            frames[0] = loudness
            kit = house_kits()["boathouse"]
            layer = replace(kit.voices[0].layers[0], sound=sampled(content_key(frames)))
            voice = replace(kit.voices[0], layers=(layer,))
            data = write_kit_file(kit.with_voice(voice), {content_key(frames): frames}.__getitem__)
            ((key, kept),) = read_kit_file(data, "x").audio.items()
            assert key == content_key(frames)
            assert np.abs(kept[:length] - frames).max() <= 2**-23  # full scale is one step lower


def test_files_whose_sounds_were_named_before_they_were_rounded_open_under_the_right_names(store):
    song = song_with_changed_sounds(store)
    with store.transaction() as session:
        whole = song_contents(session, song, history=True)
    old = {key: f"{number:064x}" for number, key in enumerate(whole.audio)}
    doc = json.loads(renamed(json.dumps(whole.doc), old))
    contents = read_song_file(
        write_song_file(SongContents(doc, {old[key]: one for key, one in whole.audio.items()})), "x"
    )
    assert contents == read_song_file(write_song_file(whole), "x")
    assert np.array_equal(mixed(store, opened(store, write_song_file(contents))), mixed(store, song))


def mixed(store, song):
    return pattern_to_mix(store.reader, read_song(store.reader, song), "felt", MixChoice()).mix.audio
