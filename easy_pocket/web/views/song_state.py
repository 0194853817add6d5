"""The answer to an edit: what changed on the screen, what to play, where undo leads."""

from __future__ import annotations

from typing import Any

from easy_pocket.store.changes import undo_words
from easy_pocket.store.edits.pipeline import Changed, EditResult
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.edit_requests import View
from easy_pocket.web.render import render
from easy_pocket.web.views.bench_view import BenchView
from easy_pocket.web.views.groove_view import GrooveView
from easy_pocket.web.views.kit_view import KitView
from easy_pocket.web.views.playing import playing
from easy_pocket.web.views.song_view import SongView

EVERYTHING = Changed()


def header_state(song: LoadedSong, undo: str | None, redo: str | None) -> dict[str, Any]:
    return {
        "id": song.row.id,
        "revision": song.row.revision,
        "name": song.row.name,
        "tempo_bpm": song.row.tempo_bpm,
        "metre": str(song.metre),
        "at": [song.part.id, song.pattern_row.id, song.section.id],
        "undo": undo,
        "redo": redo,
    }


def header_of(song: LoadedSong) -> dict[str, Any]:
    """With what undo and redo would do, asked for."""
    return header_state(song, *undo_words(song.reader, song.row.id))


def result_state(result: EditResult, view: View) -> dict[str, Any]:
    """The answer to an edit that was made."""
    return {
        **_state(result.song, view, result.changed),
        "song": header_state(result.song, result.undo, result.redo),
        "description": result.words,
    }


def song_state(song: LoadedSong, view: View) -> dict[str, Any]:
    """The song as it is, whole."""
    return {**_state(song, view, EVERYTHING), "song": header_of(song)}


def _state(song: LoadedSong, view: View, changed: Changed) -> dict[str, Any]:
    rails = hit = groove = arrangement = None
    if view.screen == "kit":
        kit = KitView(song, view)
        pieces, hit = kit.pieces(), kit.strike
    elif view.screen == "grooves":
        shelf = GrooveView(song, view, changed.made)
        pieces, groove = shelf.pieces(), shelf.data()
    elif view.screen == "arrangement":
        pieces, arrangement = {}, SongView(song).data()
    else:
        bench = BenchView(song, view)
        if changed.felt:  # heads and tools stay as they are: a slider is answered many times a second
            pieces, rails = bench.felt_pieces(), bench.rail_data()
        else:
            pieces, rails = bench.pieces(changed.voices), bench.rail_data(changed.voices)
    return {
        "hit": hit,
        "pieces": pieces if changed.felt else {**pieces, "ribbon": render("_ribbon.html", song=song)},
        "rails": rails,
        "groove": groove,
        "arrangement": arrangement,
        "added": changed.added,
        "made": changed.made,
        "playing": _heard(song, view),
    }


def _heard(song: LoadedSong, view: View) -> dict[str, Any] | None:
    """The loop of the pattern that is looked at; the Song screen plays the song, and asks for that itself."""
    if view.screen == "arrangement":
        return None
    return playing(song, timings=("felt", "straight") if view.straight else ("felt",))
