"""What a session sees of what belongs to people: theirs, what is of the house, and the one song that was opened."""

from dataclasses import replace

import pytest
from sqlalchemy import delete, func, select, update

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.house_grooves import house_grooves
from easy_pocket.samples import house_kits
from easy_pocket.store.grooves.shelf import groove_rows
from easy_pocket.store.grooves.templates import save_house_grooves, save_template
from easy_pocket.store.history.undo_log import MissingSongError
from easy_pocket.store.kits.house_sounds import save_house_sounds
from easy_pocket.store.kits.kits import add_kit, kit_names, load_kit
from easy_pocket.store.kits.sound_library import get_sound, remove_sound, set_favourite, sound_index, sounds_by_id
from easy_pocket.store.schema.tables import KitRow, SongRow, TemplateRow
from easy_pocket.store.songs.comparison_sides import choices, side
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.load import read_song
from easy_pocket.store.songs.shelf import shelf
from easy_pocket.store.viewer import Viewer
from tests.people import make_people


@pytest.fixture
def two(store):
    """The database as Ada sees it, and as Ben does."""
    ada, ben = make_people(store, "Ada", "Ben")
    return store.seen_by(Viewer(ada, "Ada", "owner")), store.seen_by(Viewer(ben, "Ben"))


def make_song(database, name):
    with database.transaction() as session:
        return create_song(session, name, tempo_bpm=100).id


def test_a_song_is_seen_by_whose_it_is(two):
    ada, ben = two
    hers, his = make_song(ada, "Hers"), make_song(ben, "His")
    assert [one.name for one in shelf(ada.reader)] == ["Hers"]
    assert [one.name for one in shelf(ben.reader)] == ["His"]
    assert read_song(ben.reader, his).name == "His"
    with pytest.raises(MissingSongError):
        read_song(ben.reader, hers)
    with ben.transaction() as session:
        assert session.get(SongRow, hers) is None
        assert session.scalar(select(func.count(SongRow.id))) == 1
        assert session.execute(select(SongRow.id)).scalars().all() == [his]


def test_a_song_of_somebody_else_is_nothing_to_compare_with(two):
    ada, ben = two
    hers, his = make_song(ada, "Hers"), make_song(ben, "His")
    song = read_song(ben.reader, his)
    assert f"song-{hers}" not in dict(choices(ben.reader, song))
    with pytest.raises(MissingSongError):
        side(ben.reader, song, f"song-{hers}")


def test_what_is_written_to_all_rows_reaches_only_ones_own(two):
    ada, ben = two
    hers, his = make_song(ada, "Hers"), make_song(ben, "His")
    with ben.transaction() as session:
        session.execute(update(SongRow).values(tempo_bpm=77.0))
        session.execute(delete(SongRow).where(SongRow.id == hers))
    assert read_song(ada.reader, hers).base_tempo_bpm == 100
    assert read_song(ben.reader, his).base_tempo_bpm == 77


def test_a_song_that_was_opened_is_heard_whole(two):
    """With its kit and its groove, which are not on the other's shelf."""
    ada, ben = two
    with ada.transaction() as session:
        kit = add_kit(session, replace(house_kits()["boathouse"], name="Ada's own"))
        groove = save_template(session, next(iter(house_grooves().values())))
        song = create_song(session, "Hers", tempo_bpm=100, kit_key=kit.key, feel={"template_id": groove}).id
    visiting = ben.seen_by(replace(ben.viewer, song=song, song_owner=ada.viewer.person))
    assert read_song(visiting.reader, song).kit.name == "Ada's own"
    assert groove in read_song(visiting.reader, song).templates
    for database in (ben, visiting):
        assert "Ada's own" not in kit_names(database.reader).values()
        assert groove not in [row.id for row in groove_rows(database.reader)]
        with pytest.raises(BadValueError):
            load_kit(database.reader, kit.key)
    assert "Ada's own" in kit_names(ada.reader).values()


def test_what_is_of_the_house_is_seen_by_all_and_stays_so(two, store):
    ada, ben = two
    with store.transaction() as session:
        save_house_sounds(session)
        save_house_grooves(session)
    for database in two:
        assert set(house_kits()) <= set(kit_names(database.reader))
        assert len(groove_rows(database.reader)) == len(house_grooves())
    sound = int(sound_index(ben.reader).ids[0])
    with pytest.raises(BadValueError, match="belongs to everybody"), ben.transaction() as session:
        remove_sound(session, sound)
    with ben.transaction() as session:
        assert set_favourite(session, sound, True).favourite
    assert [bool(sound_index(one.reader).favourite[0]) for one in (ben, ada)] == [True, False]
    assert [sounds_by_id(one.reader, [sound])[0].favourite for one in (ben, ada)] == [True, False]
    assert not get_sound(store.reader, sound).favourite


def test_who_sees_everything_is_one_without_a_viewer(two, store):
    ada, ben = two
    make_song(ada, "Hers"), make_song(ben, "His")
    assert {one.name for one in shelf(store.reader)} == {"Hers", "His"}
    with store.transaction() as session:
        assert session.scalar(select(func.count(KitRow.key))) == len(house_kits())
        assert session.scalar(select(func.count(TemplateRow.id))) == 0
