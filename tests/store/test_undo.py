"""The undo log on a real MariaDB: any series of edits can be taken back and made again, to the hit."""

import itertools

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from easy_pocket.core.edit import RemoveHit, SetOffset, SetVelocity, WriteHit
from easy_pocket.core.errors import BadValueError, EditRefusedError, PocketError
from easy_pocket.core.lengths import SetLength
from easy_pocket.core.pattern import Hit
from easy_pocket.core.tighten import StraightAgain, Tighten
from easy_pocket.store.changes import (
    MissingSongError,
    NothingToUndoError,
    StaleRevisionError,
    lock_song,
    redo,
    undo,
    undo_words,
)
from easy_pocket.store.database import Database
from easy_pocket.store.edits import edit_pattern, set_kit, set_mix, set_tempo, set_voice
from easy_pocket.store.feels import set_feel, set_reach, tighten_hits, write_feel_in
from easy_pocket.store.groove_make import draw_groove
from easy_pocket.store.grooves import groove_rows
from easy_pocket.store.songs import create_song, load_song

HITS = (Hit("kick", 0, 110), Hit("snare", 960, 100, -4.0), Hit("hat_closed", 480, 70))


@pytest.fixture
def song_id(store):
    with store.transaction() as session:
        return create_song(session, "Ferry Bell", tempo_bpm=168, hits=HITS).id


def seen(store, song_id):
    """Everything of a song a user could tell apart."""
    with store.transaction() as session:
        song = load_song(session, song_id)
        part = song.part
        return (
            song.pattern, song.row.tempo_bpm, song.row.feel, part.feel,
            part.kit_key, part.voices, part.voice_feel, part.mix,
            song.sections[0].bars, [row.name for row in groove_rows(session)],
        )  # fmt: skip


def do(store, song_id, change):
    with store.transaction() as session:
        return change(session, song_id, load_song(session, song_id).row.revision)


def step(store, song_id, direction):
    with store.transaction() as session:
        return direction(session, lock_song(session, song_id))


EVERY_KIND = [
    lambda *at: edit_pattern(*at, WriteHit("rim", 240, 66)),
    lambda *at: edit_pattern(*at, SetVelocity("rim", 240, 67)),
    lambda *at: edit_pattern(*at, SetOffset("snare", 960, 12.5)),
    lambda *at: edit_pattern(*at, RemoveHit("kick", 0)),
    lambda *at: edit_pattern(*at, SetLength(4)),
    lambda *at: set_feel(*at, "stack", "swing_percent", 58.0),
    lambda *at: set_feel(*at, "snare", "push_ms", 9.0),
    lambda *at: set_feel(*at, "snare", "push_ms", None),
    lambda *at: set_tempo(*at, 120.5),
    lambda *at: set_mix(*at, "snare", "level_db", -6.0),
    lambda *at: set_mix(*at, "kick", "mute", True),
    lambda *at: set_voice(*at, "crash", True),
    lambda *at: set_kit(*at, "signal_box"),
    lambda *at: set_reach(*at, ("hat_closed",)),
    lambda *at: tighten_hits(*at, lambda song: Tighten(strength_percent=50)),
    lambda *at: write_feel_in(*at, "snare"),
    lambda *at: set_feel(*at, "part", "weaker_hand", True),
    lambda *at: write_feel_in(*at, "stack"),
    lambda *at: edit_pattern(*at, StraightAgain((), 240)),
    lambda *at: draw_groove(*at, "Mine", 16, 1),
]


def test_every_kind_of_edit_can_be_taken_back_and_made_again(store, song_id):
    states = [seen(store, song_id)]
    for change in EVERY_KIND:
        do(store, song_id, change)
        states.append(seen(store, song_id))
    assert all(a != b for a, b in itertools.pairwise(states))
    for state in reversed(states[:-1]):
        step(store, song_id, undo)
        assert seen(store, song_id) == state
    with pytest.raises(NothingToUndoError, match="nothing to undo"):
        step(store, song_id, undo)
    for state in states[1:]:
        step(store, song_id, redo)
        assert seen(store, song_id) == state
    with pytest.raises(NothingToUndoError, match="nothing to redo"):
        step(store, song_id, redo)


def test_the_log_outlives_the_connection(store, song_id, database_url):
    do(store, song_id, EVERY_KIND[0])
    again = Database(database_url)
    assert step(again, song_id, undo) == "write rim at 1.1 e"
    assert seen(again, song_id)[0].hits == tuple(sorted(HITS, key=lambda hit: (hit.tick, hit.voice)))
    again.close()


def test_a_new_edit_after_undo_ends_the_other_future(store, song_id):
    do(store, song_id, EVERY_KIND[0])
    step(store, song_id, undo)
    do(store, song_id, EVERY_KIND[8])
    with store.transaction() as session:
        assert undo_words(session, song_id) == ("tempo 120.5", None)


def test_a_drag_is_one_step(store, song_id):
    before = seen(store, song_id)
    for percent in (51.0, 55.0, 60.0):
        do(store, song_id, lambda *at, percent=percent: set_feel(*at, "stack", "swing_percent", percent, "drag-1"))
    do(store, song_id, lambda *at: set_feel(*at, "stack", "swing_percent", 66.0, "drag-2"))
    step(store, song_id, undo)
    assert seen(store, song_id)[2] == {"swing_percent": 60.0}
    step(store, song_id, undo)
    assert seen(store, song_id) == before


def test_a_nudge_held_down_is_one_step(store, song_id):
    before = seen(store, song_id)
    for ms in (1.0, 2.0, 3.0):
        do(store, song_id, lambda *at, ms=ms: edit_pattern(*at, SetOffset("kick", 0, ms), "nudge"))
    assert seen(store, song_id)[0].by_place["kick", 0].offset_ms == 3.0
    step(store, song_id, undo)
    assert seen(store, song_id) == before


def test_a_stale_revision_writes_nothing(store, song_id):
    do(store, song_id, EVERY_KIND[0])
    state = seen(store, song_id)
    with pytest.raises(StaleRevisionError), store.transaction() as session:
        edit_pattern(session, song_id, 1, WriteHit("clap", 0))
    assert seen(store, song_id) == state


@pytest.mark.parametrize(
    ("change", "error"),
    [
        (lambda *at: edit_pattern(*at, WriteHit("kick", 0)), EditRefusedError),
        (lambda *at: edit_pattern(*at, WriteHit("crash", 0)), EditRefusedError),
        (lambda *at: set_feel(*at, "stack", "swing_percent", 90.0), BadValueError),
        (lambda *at: set_feel(*at, "stack", "template_id", 999), BadValueError),
        (lambda *at: set_tempo(*at, 0), BadValueError),
        (lambda *at: set_mix(*at, "kick", "pan", 3.0), BadValueError),
        (lambda *at: set_mix(*at, "crash", "mute", True), EditRefusedError),
        (lambda *at: set_voice(*at, "kick", False), EditRefusedError),
        (lambda *at: set_kit(*at, "nobody's"), PocketError),
    ],
)
def test_a_refused_edit_leaves_song_and_log_as_they_were(store, song_id, change, error):
    state = seen(store, song_id)
    with pytest.raises(error):
        do(store, song_id, change)
    assert seen(store, song_id) == state
    with store.transaction() as session:
        assert undo_words(session, song_id) == (None, None)


def test_a_missing_song_says_so(store):
    with pytest.raises(MissingSongError, match="not on the shelf"), store.transaction() as session:
        lock_song(session, 424242)


slots = st.integers(0, 31).map(lambda slot: slot * 240)
moves = st.lists(
    st.one_of(
        st.builds(WriteHit, st.sampled_from(["kick", "snare", "rim"]), slots, st.integers(1, 127)),
        st.builds(RemoveHit, st.sampled_from(["kick", "snare", "rim"]), slots),
        st.builds(SetVelocity, st.sampled_from(["kick", "snare"]), slots, st.integers(1, 127)),
        st.sampled_from([undo, redo]),
    ),
    max_size=25,
)


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(moves)
def test_any_series_of_edits_and_undos_ends_where_it_began(store, series):
    with store.transaction() as session:
        song_id = create_song(session, "random", hits=HITS).id
    began = seen(store, song_id)
    for move in series:
        try:
            if move in (undo, redo):
                step(store, song_id, move)
            else:
                do(store, song_id, lambda *at, move=move: edit_pattern(*at, move))
        except PocketError:
            continue
    with store.transaction() as session:
        depth = undo_words(session, song_id)
    while depth[0]:
        step(store, song_id, undo)
        with store.transaction() as session:
            depth = undo_words(session, song_id)
    assert seen(store, song_id) == began
