"""Songs, loops, templates and kits in the database."""

import threading
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import Feel
from easy_pocket.core.listen.loop_analysis import Corrections, analyze_loop
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.demo.load import load_demo
from easy_pocket.samples import house_kits
from easy_pocket.store.grooves.templates import groove_names, save_template
from easy_pocket.store.history.undo_log import StaleRevisionError
from easy_pocket.store.kits.kits import all_kits, find_voice
from easy_pocket.store.loops.loops import analysis_from_doc, corrections_from_doc, corrections_to_doc, loops_of, stored
from easy_pocket.store.schema.tables import PartRow, SongRow
from easy_pocket.store.songs.begin import song_from_line
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.duplicate import duplicate_song
from easy_pocket.store.songs.edits.loops import AnalyzedFile, BringInLoop
from easy_pocket.store.songs.edits.pipeline import SentEdit, make_edit
from easy_pocket.store.songs.load import load_song, read_song
from easy_pocket.store.songs.phrases import find_phrase, lines
from easy_pocket.store.songs.shelf import binned, delete_song, empty_bin, restore_song, shelf
from tests.drums import ROCK, beat, rendered, template
from tests.editing import do, step


def names(store):
    with store.transaction() as session:
        return [song.name for song in shelf(session)]


def test_a_song_deleted_comes_back_whole(store):
    with store.transaction() as session:
        song_id = create_song(session, "Slack Water", hits=(Hit("kick", 0, 99),)).id
    with store.transaction() as session:
        delete_song(session, song_id)
    assert names(store) == []
    with store.transaction() as session:
        restore_song(session, song_id)
    assert names(store) == ["Slack Water"]
    with store.transaction() as session:
        assert load_song(session, song_id).pattern.hits == (Hit("kick", 0, 99),)


def test_the_bin_is_emptied_of_what_waited_long_enough_but_never_of_the_last_song(store):
    with store.transaction() as session:
        songs = [create_song(session, name).id for name in ("Old Capstan", "Wet Rope", "Fresh Tar")]
    with store.transaction() as session:
        for song_id in songs:
            delete_song(session, song_id)
        for song_id, days in zip(songs, (32, 31, 29), strict=True):
            session.get(SongRow, song_id).deleted_at -= timedelta(days=days)
    now = datetime.now(UTC).replace(tzinfo=None)
    waiting = binned(store.reader)
    assert [song.name for song in waiting] == ["Fresh Tar", "Wet Rope", "Old Capstan"]
    assert [round((song.gone_at - now).total_seconds() / 86_400) for song in waiting] == [1, -1, -2]
    with store.transaction() as session:
        assert empty_bin(session) == 2
    assert [song.name for song in binned(store.reader)] == ["Fresh Tar"]
    with store.transaction() as session:
        assert {part.song_id for part in session.query(PartRow)} == {songs[2]}  # nothing of them is left
        session.get(SongRow, songs[2]).deleted_at -= timedelta(days=5)
    with store.transaction() as session:
        assert empty_bin(session) == 0
        restore_song(session, songs[2])
    assert names(store) == ["Fresh Tar"]


def test_every_line_begins_a_song_of_two_bars_or_more(store):
    with store.transaction() as session:
        for line in lines(session):
            song = load_song(session, song_from_line(session, line, 96.0).id).values
            bar = line.metre.bar_ticks
            assert song.pattern.bars >= 2
            assert song.metre == line.metre
            assert set(song.pattern.arrays.voices) <= set(song.part.voices)
            once = {(hit.voice, hit.tick) for hit in find_phrase(session, line.key).hits}
            first = {(hit.voice, hit.tick) for hit in song.pattern.hits if hit.tick < line.length_ticks}
            assert len(first) == len(once)
            assert song.pattern.length_ticks % bar == 0
            assert ((song.feel.stack.swing_percent or 50.0) > 50) == (line.feel == "swung")


def test_the_shelf_tells_how_long_a_song_is(store):
    with store.transaction() as session:
        create_song(session, "x", tempo_bpm=120, metre=Metre(3, 4), bars=4)
    with store.transaction() as session:
        (song,) = shelf(session)
    assert (song.bars, song.length_s) == (4, pytest.approx(6.0))


def test_a_duplicate_is_equal_and_independent(store):
    audio, _ = rendered(beat(ROCK), 112.0)
    with store.transaction() as session:
        song = create_song(
            session, "Three Piers", tempo_bpm=91, hits=beat(ROCK).hits, voice_feel={"snare": {"push_ms": 4.0}}
        )
    bring_in(store, song.id, audio)
    with store.transaction() as session:
        copy_id = duplicate_song(session, song.id).id
    with store.transaction() as session:
        first, second = load_song(session, song.id), load_song(session, copy_id)
        assert (first.pattern, first.part.voice_feel, first.row.tempo_bpm) == (
            second.pattern,
            second.part.voice_feel,
            91,
        )
        assert [loop.audio_hash for loop in loops_of(session, copy_id)] == [
            loop.audio_hash for loop in loops_of(session, song.id)
        ]
    do(store, copy_id, "tempo", tempo_bpm=60)
    with store.transaction() as session:
        assert load_song(session, song.id).row.tempo_bpm == 91
    assert set(names(store)) == {"Three Piers", "Three Piers copy"}


@pytest.mark.parametrize("name", ["<script>alert(1)</script>", "Leuchtturm 🥁 & Söhne", "  a   b  "])
def test_any_name_is_kept_as_text(store, name):
    with store.transaction() as session:
        create_song(session, name)
    assert names(store) == [" ".join(name.split())]


@pytest.mark.parametrize("name", ["", "   ", "\x00\n", "x" * 81])
def test_a_name_that_is_none_is_refused(store, name):
    with pytest.raises(BadValueError, match="name"), store.transaction() as session:
        create_song(session, name)


def test_feel_reaches_the_core_with_its_template(store):
    with store.transaction() as session:
        key = save_template(session, template([float(i) for i in range(16)]))
        song = create_song(session, "x", feel={"template_id": key, "timing_pull": 80.0})
    do(store, song.id, "feel", scope="snare", field="push_ms", value=6.0)
    loaded = read_song(store.reader, song.id)
    assert loaded.feel.stack.template.slots_per_bar == 16
    assert loaded.feel.resolve("snare").timing_pull == 80.0
    assert loaded.feel.voices == {"snare": Feel(push_ms=6.0)}


def bring_in(store, song_id, audio):
    file = AnalyzedFile(audio.name, stored(audio), analyze_loop(audio))
    return make_edit(store, song_id, SentEdit(BringInLoop(file=file))).changed.made


def test_a_loop_keeps_what_was_heard_and_what_was_overruled(store):
    audio, _ = rendered(beat(ROCK), 112.0)
    heard = analyze_loop(audio)
    with store.transaction() as session:
        song_id = create_song(session, "x").id
    loop_id = bring_in(store, song_id, audio)
    (row,) = loops_of(store.reader, song_id)
    kept = analysis_from_doc(row.found)
    np.testing.assert_allclose(kept.onsets.time_s, heard.onsets.time_s)
    assert kept.reading == heard.reading
    do(store, song_id, "loop_correct", loop_id=loop_id, change={"kind": "bars", "bars": 4, "metre": "4/4"})
    do(store, song_id, "loop_correct", loop_id=loop_id, change={"kind": "remove", "time_s": 0.1})
    (row,) = loops_of(store.reader, song_id)
    assert analysis_from_doc(row.found).reading.bars == 4
    assert corrections_from_doc(row.overruled) == Corrections(bars=4, metre=Metre(4, 4), removed_s=(0.1,))
    assert step(store, song_id, "undo") == f"remove the hit at 0.10 s in {row.name}"
    step(store, song_id, "undo")
    (row,) = loops_of(store.reader, song_id)
    assert analysis_from_doc(row.found).reading.bars == 2
    do(store, song_id, "loop_take", loop_id=loop_id)
    assert loops_of(store.reader, song_id) == []
    step(store, song_id, "undo")
    assert len(loops_of(store.reader, song_id)) == 1


def test_overrules_there_and_back():
    full = Corrections(0.7, Metre(6, 8), 3, 0.25, (0.5, 1.0), (1.5,), cut_s=0.02)
    assert corrections_from_doc(corrections_to_doc(full)) == full


def test_two_writers_never_overwrite_each_other(store):
    with store.transaction() as session:
        song_id = create_song(session, "x").id
    outcomes: list[str] = []
    together = threading.Barrier(2)

    def write(tempo_bpm):
        together.wait()
        try:
            do(store, song_id, "tempo", revision=1, tempo_bpm=tempo_bpm)
            outcomes.append("made")
        except StaleRevisionError:
            outcomes.append("refused")

    threads = [threading.Thread(target=write, args=(bpm,)) for bpm in (90, 120)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(outcomes) == ["made", "refused"]


def test_the_demo_fills_an_empty_shelf_once(store):
    load_demo(store)
    load_demo(store)
    assert names(store) == ["Lamplighter", "Slack Water", "Ferry Bell", "Three Piers", "Lamplighter sketch"]
    with store.transaction() as session:
        song = load_song(session, shelf(session)[-1].id)
        assert (song.row.tempo_bpm, song.pattern.bars) == (104.0, 2)
        assert [t.name for t in song.values.templates.values()] == ["Rope Walk"]  # the one it leans on
        assert len(groove_names(session)) == 9  # with eight of the house
        assert [loop.name for loop in loops_of(session, song.id)] == ["bollard-mouth.flac", "quayside-break.flac"]
        delete_song(session, song.id)
    load_demo(store)
    assert len(names(store)) == 4  # its owner took one off


def test_house_kits_are_kept_and_their_sounds_found_by_content(store):
    with store.transaction() as session:
        assert {kit.key: kit for kit in all_kits(session)} == house_kits()
        voice = house_kits()["signal_box"].voice("clap")
        assert find_voice(session, f"clap-{voice.audio_base}") == voice
        assert find_voice(session, "clap-nothing") is None
