"""Put the demo on an empty shelf."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import select

from easy_pocket.core.formats.audio_file import read_audio
from easy_pocket.core.listen.groove import extract_template
from easy_pocket.core.listen.loop_analysis import analyze_loop
from easy_pocket.core.pattern.pattern import Hit
from easy_pocket.core.stage.stage import Place, Unit
from easy_pocket.demo.build import HAND, LEVELS
from easy_pocket.demo.slack_water_takes import lay_guide, play_slack_water
from easy_pocket.demo.tidewater import ferry_bell, lamplighter, slack_water, three_piers
from easy_pocket.store.database import Database
from easy_pocket.store.grooves.templates import save_house_grooves, save_template
from easy_pocket.store.kits.house_sounds import save_house_sounds
from easy_pocket.store.kits.kits import save_house_kits
from easy_pocket.store.loops.loops import add_loop, stored
from easy_pocket.store.schema.tables import SectionRow
from easy_pocket.store.songs.create import create_song
from easy_pocket.store.songs.shelf import is_empty
from easy_pocket.store.songs.song_loops import loop_place
from easy_pocket.store.songs.stage_doc import stage_of, with_stage
from easy_pocket.store.takes.hands import save_house_hands

QUAYSIDE_BREAK = Path(__file__).with_name("quayside-break.flac")
BOLLARD_MOUTH = Path(__file__).parent.parent / "web" / "static" / "bollard-mouth.flac"

# Lamplighter's two bars: (voice, bar 1, bar 2); X strong, x plain, o soft, - a ghost.
LAMPLIGHTER = (
    ("kick", "X......x..X.....", "X......x..X..x.."),
    ("snare", "....X..-.-..X...", "....X..-.-..X..-"),
    ("rim", "..............o.", "...o............"),
    ("hat_closed", "x.oox.o.xoo.x.o.", "x.oox.o.xoo.x..."),
    ("hat_open", "................", "..............x."),
    ("tambourine", "....o.......o...", "....o.......o..."),
    ("shaker", "o-x-o-x-o-x-o-x-", "o-x-o-x-o-x-o-x-"),
)
# Played too early for the loop it lies beside: what one finds by hearing the stack against it.
EARLY_MS = {("kick", 6960): -24.0}


def lamplighter_hits() -> tuple[Hit, ...]:
    hits = []
    for voice, *bars in LAMPLIGHTER:
        for bar, line in enumerate(bars):
            for slot, mark in enumerate(line):
                if mark != ".":
                    velocity = LEVELS[mark] + (HAND[slot % 4] if voice in ("hat_closed", "shaker") else 0)
                    tick = bar * 3840 + slot * 240
                    hits.append(Hit(voice, tick, velocity, EARLY_MS.get((voice, tick), 0.0)))
    return tuple(hits)


def load_demo(database: Database, *, songs: bool = True) -> None:
    """House kits, sounds and grooves always; the songs, with loops and a groove, only when no song was ever made."""
    with database.transaction() as session:
        save_house_kits(session)
        save_house_sounds(session)
        save_house_grooves(session)
        save_house_hands(session)
        session.flush()
        if not songs or not is_empty(session):
            return
        audio = read_audio(QUAYSIDE_BREAK, "quayside-break.flac")
        heard = analyze_loop(audio)
        rope_walk = save_template(
            session, extract_template(heard.onsets, heard.reading, "Rope Walk", "quayside-break.flac")
        )
        song = create_song(
            session,
            "Lamplighter sketch",
            tempo_bpm=104.0,
            voices=tuple(line[0] for line in LAMPLIGHTER),
            hits=lamplighter_hits(),
            feel={"swing_percent": 57.0, "swing_unit": 16, "template_id": rope_walk, "timing_pull": 70.0,
                  "accent_pull": 0.0},
            voice_feel={"snare": {"push_ms": 4.0}, "hat_closed": {"push_ms": -4.0}},
            mix={"shaker": {"level_db": -4.0}, "tambourine": {"level_db": -3.0}},
        )  # fmt: skip
        spoken = read_audio(BOLLARD_MOUTH, BOLLARD_MOUTH.name)
        add_loop(session, song.id, spoken.name, stored(spoken), analyze_loop(spoken))
        add_loop(session, song.id, audio.name, stored(audio), heard)
        three_piers(session)
        ferry_bell(session)
        water = slack_water(session)
        play_slack_water(session, water)
        lay_guide(session, water)
        whole = lamplighter(session, rope_walk)
        loop = add_loop(session, whole.id, audio.name, stored(audio), heard)
        sections = select(SectionRow).where(
            SectionRow.song_id == whole.id, SectionRow.name.in_(["Chorus", "Last chorus"])
        )
        ids = [row.id for row in session.scalars(sections)]
        whole.layered_loops = [{"loop_id": loop.id, "section_ids": ids, "level_db": -12.0, "low_cut_hz": 180.0}]
        sways = Unit("sway", settings={"every_beats": 16.0, "pan_percent": 24.0, "filter_percent": 40.0})
        stage = stage_of(whole.stage).with_place(loop_place(loop.id), Place((sways,)))
        whole.stage = with_stage(whole.stage, stage)
