"""Where grooves come from: bars of the song, a loop, other grooves, an empty page."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy.orm import Session

from easy_pocket.core.groove_shape import blend, drawn_template, repeated, stretched, template_from_performance
from easy_pocket.core.listen.groove import extract_template
from easy_pocket.core.template import GrooveTemplate
from easy_pocket.store.grooves import find_groove, finish_groove
from easy_pocket.store.keep import begin
from easy_pocket.store.loops import found_from_doc, get_loop
from easy_pocket.store.songs import LoadedSong


def draw_groove(session: Session, song_id: int, revision: int, name: str, slots_per_bar: int, bars: int) -> LoadedSong:
    """A straight one in the song's metre and tempo, to be drawn on."""
    loaded = begin(session, song_id, revision)
    tempo_bpm = loaded.tempo_bpm
    drawn = drawn_template(name, slots_per_bar=slots_per_bar, bars=bars, metre=loaded.metre, tempo_bpm=tempo_bpm)
    return finish_groove(session, loaded, drawn, [])


def groove_of_bars(session: Session, song_id: int, revision: int, name: str, from_bar: int, bars: int) -> LoadedSong:
    """Of bars as they are played now, on the part's grid."""
    loaded = begin(session, song_id, revision)
    ends = f"bar {from_bar}" if bars == 1 else f"bars {from_bar}-{from_bar + bars - 1}"
    source = f"{ends} of {loaded.row.name}"
    step = loaded.part.step_ticks
    taken = template_from_performance(loaded.performance(), name, source, step_ticks=step, from_bar=from_bar, bars=bars)
    return finish_groove(session, loaded, taken, [])


def groove_of_loop(session: Session, song_id: int, revision: int, name: str, loop_id: int, bars: int) -> LoadedSong:
    loaded = begin(session, song_id, revision)
    row = get_loop(session, song_id, loop_id)
    heard = found_from_doc(row.found)
    return finish_groove(session, loaded, extract_template(heard.onsets, heard.reading, name, row.name, bars), [])


def blended_groove(
    session: Session, song_id: int, revision: int, name: str, shares: list[tuple[int, float]]
) -> LoadedSong:
    """Of (groove, share) pairs."""
    loaded = begin(session, song_id, revision)
    grooves = [find_groove(session, groove_id)[1] for groove_id, _ in shares]
    return finish_groove(session, loaded, blend(grooves, [share for _, share in shares], name), [])


def longer_groove(session: Session, song_id: int, revision: int, groove_id: int, how: str, bars: int) -> LoadedSong:
    """A copy of a groove: "copy" as it is, "stretch" at half speed over twice its bars, "repeat" over `bars` bars."""
    loaded = begin(session, song_id, revision)
    _, groove = find_groove(session, groove_id)
    made: GrooveTemplate = {
        "stretch": lambda: replace(stretched(groove), name=f"{groove.name[:70]} at half"),
        "repeat": lambda: replace(repeated(groove, bars), name=f"{groove.name[:70]} over {bars}"),
    }.get(how, lambda: replace(groove, name=f"{groove.name[:70]} copy"))()
    return finish_groove(session, loaded, made, [])
