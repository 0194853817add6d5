"""The undo log on a real MariaDB: any series of edits can be taken back and made again, to the hit."""

import itertools

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from easy_pocket.core.errors import BadValueError, EditRefusedError, PocketError
from easy_pocket.core.feel.write_in import StraightAgain
from easy_pocket.core.pattern.hit_edits import RemoveHit, SetOffset, SetVelocity, WriteHit
from easy_pocket.core.pattern.length_edits import SetLength
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.store.database import Database
from easy_pocket.store.grooves.shelf import groove_rows
from easy_pocket.store.history.undo_log import MissingSongError, NothingToUndoError, change_list, undo_words
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import load_song, read_song
from tests.editing import do, step

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


def every_kind(store, song_id):
    """Edits of many kinds, one after another."""
    return [
        lambda kind=kind, values=values: do(store, song_id, kind, **values)
        for kind, values in [
            (WriteHit("rim", 240, 66), {}),
            (SetVelocity("rim", 240, 67), {}),
            (SetOffset("snare", 960, 12.5), {}),
            (RemoveHit("kick", 0), {}),
            (SetLength(4), {}),
            ("feel", {"scope": "stack", "field": "swing_percent", "value": 58.0}),
            ("feel", {"scope": "snare", "field": "push_ms", "value": 9.0}),
            ("feel", {"scope": "snare", "field": "push_ms", "value": None}),
            ("tempo", {"tempo_bpm": 120.5}),
            ("mix", {"voice": "snare", "field": "level_db", "value": -6.0}),
            ("mix", {"voice": "kick", "field": "mute", "value": True}),
            ("voice", {"voice": "crash", "there": True}),
            ("kit", {"kit_key": "signal_box"}),
            ("reach", {"voices": ["hat_closed"]}),
            ("tighten", {"target": "grid", "strength_percent": 50, "step_ticks": 240}),
            ("write_in", {"scope": "snare"}),
            ("feel", {"scope": "part", "field": "weaker_hand", "value": True}),
            ("write_in", {"scope": "stack"}),
            (StraightAgain((), 240), {}),
            ("groove_draw", {"name": "Mine", "slots_per_bar": 16, "bars": 1}),
        ]
    ]


def test_every_kind_of_edit_can_be_taken_back_and_made_again(store, song_id):
    states = [seen(store, song_id)]
    for change in every_kind(store, song_id):
        change()
        states.append(seen(store, song_id))
    assert all(a != b for a, b in itertools.pairwise(states))
    for state in reversed(states[:-1]):
        step(store, song_id, "undo")
        assert seen(store, song_id) == state
    with pytest.raises(NothingToUndoError, match="nothing to undo"):
        step(store, song_id, "undo")
    for state in states[1:]:
        step(store, song_id, "redo")
        assert seen(store, song_id) == state
    with pytest.raises(NothingToUndoError, match="nothing to redo"):
        step(store, song_id, "redo")


def test_the_log_outlives_the_connection(store, song_id, database_url):
    do(store, song_id, WriteHit("rim", 240, 66))
    again = Database(database_url)
    assert step(again, song_id, "undo") == "write rim at 1.1 e"
    assert seen(again, song_id)[0].hits == tuple(sorted(HITS, key=lambda hit: (hit.tick, hit.voice)))
    again.close()


def test_a_new_edit_after_undo_ends_the_other_future(store, song_id):
    do(store, song_id, WriteHit("rim", 240, 66))
    step(store, song_id, "undo")
    do(store, song_id, "tempo", tempo_bpm=120.5)
    with store.transaction() as session:
        assert undo_words(session, song_id) == ("tempo 120.5", None)


def test_a_drag_is_one_step(store, song_id):
    before = seen(store, song_id)
    for percent in (51.0, 55.0, 60.0):
        do(store, song_id, "feel", scope="stack", field="swing_percent", value=percent, gesture="drag-1")
    do(store, song_id, "feel", scope="stack", field="swing_percent", value=66.0, gesture="drag-2")
    step(store, song_id, "undo")
    assert seen(store, song_id)[2] == {"swing_percent": 60.0}
    step(store, song_id, "undo")
    assert seen(store, song_id) == before


def test_a_drag_that_ends_where_it_began_leaves_no_step(store, song_id):
    before, tempo_bpm = change_list(store.reader, song_id), read_song(store.reader, song_id).base_tempo_bpm
    for tempo in (141.0, 117.0, tempo_bpm):
        made = do(store, song_id, "tempo", tempo_bpm=tempo, gesture="drag-1")
    assert made.song.base_tempo_bpm == tempo_bpm
    assert change_list(store.reader, song_id) == before
    assert made.undo == (before[0]["words"] if before else None)
    do(store, song_id, "tempo", tempo_bpm=111.0, gesture="drag-1")  # it goes on
    assert step(store, song_id, "undo") == "tempo 111"
    assert read_song(store.reader, song_id).base_tempo_bpm == tempo_bpm


def test_a_nudge_held_down_is_one_step(store, song_id):
    before = seen(store, song_id)
    for ms in (1.0, 2.0, 3.0):
        do(store, song_id, SetOffset("kick", 0, ms), gesture="nudge")
    assert seen(store, song_id)[0].by_place["kick", 0].offset_ms == 3.0
    step(store, song_id, "undo")
    assert seen(store, song_id) == before


@pytest.mark.parametrize(
    ("change", "error"),
    [
        (("write", {"voice": "kick", "tick": 0}), EditRefusedError),
        (("write", {"voice": "crash", "tick": 0}), EditRefusedError),
        (("feel", {"scope": "stack", "field": "swing_percent", "value": 90.0}), BadValueError),
        (("feel", {"scope": "stack", "field": "template_id", "value": 999}), BadValueError),
        (("tempo", {"tempo_bpm": 0}), BadValueError),
        (("mix", {"voice": "kick", "field": "pan", "value": 3.0}), BadValueError),
        (("mix", {"voice": "crash", "field": "mute", "value": True}), EditRefusedError),
        (("voice", {"voice": "kick", "there": False}), EditRefusedError),
        (("kit", {"kit_key": "nobody's"}), PocketError),
    ],
)
def test_a_refused_edit_leaves_song_and_log_as_they_were(store, song_id, change, error):
    state = seen(store, song_id)
    with pytest.raises(error):
        do(store, song_id, change[0], **change[1])
    assert seen(store, song_id) == state
    with store.transaction() as session:
        assert undo_words(session, song_id) == (None, None)


def test_a_missing_song_says_so(store):
    with pytest.raises(MissingSongError, match="no such song on the shelf"):
        do(store, 424242, "tempo", tempo_bpm=90)


slots = st.integers(0, 31).map(lambda slot: slot * 240)
moves = st.lists(
    st.one_of(
        st.builds(WriteHit, st.sampled_from(["kick", "snare", "rim"]), slots, st.integers(1, 127)),
        st.builds(RemoveHit, st.sampled_from(["kick", "snare", "rim"]), slots),
        st.builds(SetVelocity, st.sampled_from(["kick", "snare"]), slots, st.integers(1, 127)),
        st.sampled_from(["undo", "redo"]),
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
            if move in ("undo", "redo"):
                step(store, song_id, move)
            else:
                do(store, song_id, move)
        except PocketError:
            continue
    with store.transaction() as session:
        depth = undo_words(session, song_id)
    while depth[0]:
        step(store, song_id, "undo")
        with store.transaction() as session:
            depth = undo_words(session, song_id)
    assert seen(store, song_id) == began
