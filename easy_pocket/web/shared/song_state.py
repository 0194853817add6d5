"""The answer to an edit: what changed on the screen, what to play, where undo leads."""

from __future__ import annotations

from typing import cast

from easy_pocket.store.database import Reader
from easy_pocket.store.history.undo_log import undo_words
from easy_pocket.store.songs.edits.pipeline import Changed, EditResult
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.song_header import header_doc
from easy_pocket.web.shared.edit_requests import View
from easy_pocket.web.shared.playing import playing
from easy_pocket.web.shared.render import render
from easy_pocket.web.shared.screen import SCREENS
from easy_pocket.web.shared.shapes import SongHeader, State

EVERYTHING = Changed()


def header_state(song: LoadedSong, undo: str | None, redo: str | None) -> SongHeader:
    return cast(SongHeader, header_doc(song, undo, redo))


def header_of(song: LoadedSong, reader: Reader) -> SongHeader:
    """The header, with what undo and redo would do read from the log."""
    return header_state(song, *undo_words(reader, song.id))


def result_state(result: EditResult, view: View, reader: Reader) -> State:
    """The answer to an edit that was made."""
    return {
        **_state(result.song, view, result.changed, reader),
        "song": header_state(result.song, result.undo, result.redo),
        "description": result.words,
    }


def song_state(song: LoadedSong, view: View, reader: Reader) -> State:
    """The whole state of the song, for a page that has none yet."""
    return {**_state(song, view, EVERYTHING, reader), "song": header_of(song, reader)}


def _state(song: LoadedSong, view: View, changed: Changed, reader: Reader) -> State:
    make = SCREENS[view.screen].state
    assert make is not None  # a view of a screen that belongs to no song is refused when it is read
    shown = make(song, view, changed, reader)
    fragments = {**shown.fragments, "ribbon": render("_ribbon.html", song=song)} if shown.ribbon else shown.fragments
    swaps = (f'<div id="{name}" hx-swap-oob="refresh">{html}</div>' for name, html in fragments.items())
    return {
        "screen": view.screen,
        "fragments": "".join(swaps),
        "data": shown.data,
        "added": changed.added,
        "made": changed.made,
        "playing": playing(song, timings=("felt", "straight") if view.straight else ("felt",)) if shown.hears else None,
    }
