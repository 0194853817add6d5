"""Warming up: afterwards the songs' sounds are there without asking the database."""

import pytest

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.sound.kit import clear_rendered, voice_audio
from easy_pocket.core.sound.sound import clear_struck
from easy_pocket.demo.load import load_demo
from easy_pocket.launch.warm import WarmUp
from easy_pocket.samples import dry_dock
from easy_pocket.store.songs.create import create_song


@pytest.fixture
def docked(store):
    """A song on a sampled kit, nothing of which has been rendered."""
    load_demo(store, songs=False)
    with store.transaction() as session:
        create_song(session, "On the dock", kit_key="dry_dock", voices=("kick", "snare"))
    clear_rendered()
    clear_struck()
    return store


def test_sounds_of_the_last_songs_are_rendered_ahead(docked):
    kit = dry_dock()
    with pytest.raises(BadValueError, match="not at hand"):
        voice_audio(kit.voice("kick"), 7)
    assert WarmUp(docked).wait(60)
    for role in ("kick", "snare"):
        for zone in range(8):
            assert voice_audio(kit.voice(role), zone).any()  # no source of samples is given: it is there already
    with pytest.raises(BadValueError, match="not at hand"):
        voice_audio(kit.voice("crash"), 7)  # on no rail


def test_without_a_database_it_ends_quietly(store):
    gone = type(store)("mysql+pymysql://nobody@127.0.0.1:1/nothing")
    assert WarmUp(gone).wait(30)


def test_stopped_it_leaves_the_rest_unrendered(docked):
    warming = WarmUp(docked)
    warming.stop()
    assert warming.wait(0)
    with pytest.raises(BadValueError, match="not at hand"):
        voice_audio(dry_dock().voice("snare"), 0)  # the last one there would be
