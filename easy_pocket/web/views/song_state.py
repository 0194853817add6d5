"""The answer to an edit: what changed on the screen, what to play, where undo leads."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from easy_pocket.store.changes import undo_words
from easy_pocket.store.kit_edits import songs_with_kit
from easy_pocket.store.samples import sample_source
from easy_pocket.store.songs import LoadedSong
from easy_pocket.web.edit_requests import View
from easy_pocket.web.render import render
from easy_pocket.web.views.bench_view import BenchView
from easy_pocket.web.views.groove_view import GrooveView
from easy_pocket.web.views.kit_view import KitView
from easy_pocket.web.views.playing import playing
from easy_pocket.web.views.song_view import SongView


def header_state(session: Session, song: LoadedSong) -> dict[str, Any]:
    # Right after an edit the log need not be asked: that edit is undone next, and nothing can be redone.
    undo, redo = (song.just_done, None) if song.just_done else undo_words(session, song.row.id)
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


def song_state(session: Session, song: LoadedSong, view: View, voices: frozenset[str] | None = None) -> dict[str, Any]:
    """`voices` limits which rails are sent; None sends them all."""
    rails = None
    hit = groove = arrangement = None
    if view.screen == "kit":
        kit = KitView(song, view, sample_source(session), songs_with_kit(session, song.kit.key))
        pieces, hit = kit.pieces(), kit.strike
    elif view.screen == "grooves":
        shelf = GrooveView(session, song, view)
        pieces, groove = shelf.pieces(), shelf.data()
    elif view.screen == "arrangement":
        pieces, arrangement = {}, SongView(session, song).data()
    else:
        bench = BenchView(song, view)
        if song.just_felt:  # heads and tools stay as they are: a slider is answered many times a second
            pieces, rails = bench.felt_pieces(), bench.rail_data()
        else:
            pieces, rails = bench.pieces(voices), bench.rail_data(voices)
    return {
        "song": header_state(session, song),
        "hit": hit,
        "pieces": pieces if song.just_felt else {**pieces, "ribbon": render("_ribbon.html", song=song)},
        "rails": rails,
        "groove": groove,
        "arrangement": arrangement,
        "added": song.just_added,
        "made": song.just_made,
        "playing": _heard(song, view),
    }


def _heard(song: LoadedSong, view: View) -> dict[str, Any] | None:
    """The loop of the pattern that is looked at; the Song screen plays the song, and asks for that itself."""
    if view.screen == "arrangement":
        return None
    return playing(song, timings=("felt", "straight") if view.straight else ("felt",))
