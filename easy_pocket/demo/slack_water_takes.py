"""Four passes over Slack Water's backbone by the simulated player, sewn, and the hand that is learned from them."""

from __future__ import annotations

import json
from dataclasses import replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from easy_pocket.core.formats.hand_json import dump_hand
from easy_pocket.core.listen.guide import guide_picture
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.takes.hand import Hand, TakeToLearn, learn_hand
from easy_pocket.core.takes.house_hands import HOUSE_HANDS
from easy_pocket.core.takes.played import Played, TakeBars, played_from_rows, within
from easy_pocket.core.takes.quay import quay_beat
from easy_pocket.core.takes.sewing import steadiest
from easy_pocket.core.takes.wander_fit import Figure
from easy_pocket.demo.guide_track import LEAD_S, guide_track
from easy_pocket.store.loops.loops import save_audio, stored
from easy_pocket.store.schema.tables import HandRow, PartRow, PassRow, SongRow, TakeRow
from easy_pocket.store.songs.guide import Guide, guide_to_doc
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.takes.takes import laid, load_take

BARS, PASSES, SEED = 4, 4, 12
HAND = "Harbour left"
VERSE_FROM, VERSE_BARS = 3, 8


def play_slack_water(session: Session, song: SongRow) -> None:
    part = session.scalars(select(PartRow).where(PartRow.song_id == song.id, PartRow.name == "Drums")).one()
    loaded = load_song(session, song.id).values
    pattern = next(one for one in loaded.parts if one.id == part.id).patterns[0].pattern
    bars = TakeBars(BARS * pattern.metre.bar_ticks, pattern.metre, song.tempo_bpm)
    player = replace(HOUSE_HANDS["slipway"], swing_percent=Figure(63.0, 63.0, 63.0))
    passes = _passes(loaded.kits[part.kit_key].roles, pattern, player, bars)
    take = TakeRow(
        song_id=song.id,
        part_id=part.id,
        name="take 1",
        start_tick=0,
        length_ticks=bars.length_ticks,
        metre=str(bars.metre),
        tempo_bpm=bars.tempo_bpm,
        settings={},
        sews=[],
    )
    session.add(take)
    session.flush()
    for number, played in enumerate(passes, start=1):
        hits = json.dumps([[voice, round(time_ms, 3), size] for voice, time_ms, size in played.rows])
        session.add(PassRow(take_id=take.id, name=f"pass {number}", source="quay", hits=hits))
        session.flush()
    feel = next(one.feel for one in loaded.parts if one.id == part.id)
    best = steadiest(laid(load_take(session, take), feel).passes)
    take.sews = [[one.sew.bar, one.sew.key, ""] for one in best]
    if session.scalar(select(HandRow.id).where(HandRow.name == HAND)) is None:
        hand = learn_hand([TakeToLearn(played, bars) for played in passes], HAND)
        session.add(HandRow(name=HAND, doc=dump_hand(hand)))


def lay_guide(session: Session, song: SongRow) -> None:
    """Strings under the verse, from its first bar on."""
    audio = guide_track(song.tempo_bpm, VERSE_BARS)
    kept = stored(audio)
    guide = Guide(
        save_audio(session, kept),
        audio.name,
        audio.duration_s,
        start_s=LEAD_S,
        bar=VERSE_FROM,
        level_db=-9.0,
        muted=True,
        tempo_bpm=song.tempo_bpm,
        words=f"played at {song.tempo_bpm:.0f} bpm",
        picture=guide_picture(audio),
        lines_s=tuple(round(LEAD_S + bar * 240 / song.tempo_bpm, 4) for bar in range(VERSE_BARS + 1)),
    )
    song.guide = guide_to_doc(guide)


def _passes(roles: tuple[str, ...], pattern: Pattern, player: Hand, bars: TakeBars) -> list[Played]:
    performance = quay_beat(pattern, roles, player, bars.tempo_bpm, bars=BARS, passes=PASSES, seed=SEED)
    found = []
    for number in range(PASSES):
        begin = number * bars.length_ms
        near = [
            (voice, time_ms - begin, size)
            for voice, time_ms, size in performance.rows
            if -250 <= time_ms - begin < bars.length_ms + 250
        ]
        found.append(within(played_from_rows(near), bars, 240, last=number == PASSES - 1))
    return found
