"""The songs of the Tidewater Parade."""

from __future__ import annotations

from sqlalchemy.orm import Session

from easy_pocket.core.pattern.timebase import Metre
from easy_pocket.core.stage.section_settings import SectionSettings
from easy_pocket.core.stage.stage import Group, Place, Stage, Unit, stage_doc
from easy_pocket.demo.build import DemoPart, DemoSection, build_song
from easy_pocket.store.schema.tables import PartRow, SectionRow, SongRow

THIN = {"pattern": "A", "muted": ["snare"]}


LAMPLIGHTER = (
    DemoSection("Intro", 4, {"Backbone": {**THIN, "level_db": -2.0}, "Hand percussion": "A"},
                joins=({"kind": "swell", "part": "Cymbals", "voice": "crash", "beats": 2.0, "fade_ms": 12.0},)),
    DemoSection("Verse", 8, {"Backbone": "A", "Cymbals": "A", "Hand percussion": "A"}, 2,
                joins=({"kind": "fill", "part": "Backbone", "pattern": "fill 1 beat"},),
                notes="Without the tambourine; the lamps are lit one by one."),
    DemoSection("Lift", 4, {"Backbone": "A", "Cymbals": "open", "Hand percussion": "A", "Second snare": "roll"},
                joins=({"kind": "fill", "part": "Backbone", "pattern": "fill 1 bar"},
                       {"kind": "crash", "part": "Cymbals", "voice": "crash", "velocity": 118})),
    DemoSection("Chorus", 8, {"Backbone": "B", "Cymbals": "ride", "Hand percussion": "A+", "Second snare": "B"}, 2,
                joins=({"kind": "fill", "part": "Backbone", "pattern": "fill 1 beat"},
                       {"kind": "drop", "beats": 2.0, "last_only": True, "keep": ["Hand percussion"]})),
    DemoSection("Break", 2, {"Backbone": "C", "Hand percussion": {"pattern": "A", "level_db": -3.0}},
                joins=({"kind": "pickup", "part": "Backbone", "pattern": "fill 1 beat"},
                       {"kind": "crash", "part": "Cymbals", "voice": "crash", "velocity": 120})),
    DemoSection("Last chorus", 8, {"Second snare": {"pattern": "B", "level_db": 2.0}}, 1, of="Chorus",
                joins=({"kind": "fill", "part": "Backbone", "pattern": "fill 1 bar"},)),
    DemoSection("Outro", 4, {"Backbone": {**THIN, "level_db": -3.0}, "Cymbals": {"pattern": "A", "level_db": -4.0},
                             "Hand percussion": "A"}),
)  # fmt: skip


SWUNG_16THS = {"swing_percent": 57.0, "swing_unit": 16}


def lamplighter(session: Session, rope_walk: int) -> SongRow:
    """104 bpm, swung 16ths: four parts, and room for a loop under the chorus."""
    backbone = DemoPart(
        "Backbone",
        "boathouse",
        {
            "A": {"kick": "X......x..X.....|X......x..X..x..", "snare": "....X..-.-..X...|....X..-.-..X..-",
                  "rim": "..............o.|...o............"},
            "B": {"kick": "X..x...x..X..x..|X......x..X.x.x.", "snare": "....X..-.-..X..-|....X..-.-..X.-x",
                  "tom_low": "................|...............o"},
            "C": {"kick": "X.......X.......", "rim": "....x.......x..."},
            "fill 1 beat": {"snare": "xxoX", "kick": "x..."},
            "fill 1 bar": {"snare": "..x.xx......X.x.", "tom_high": "......xx........", "tom_mid": "........xx......",
                           "tom_low": "..........Xx..xX", "kick": "X..............."},
        },
        rules={"voice_feel": {"snare": {"push_ms": 4.0}}},
    )  # fmt: skip
    cymbals = DemoPart(
        "Cymbals",
        "boathouse",
        {
            "A": {"hat_closed": "x.oox.o.xoo.x.o.|x.oox.o.xoo.x...", "hat_open": "................|..............x."},
            "open": {"hat_closed": "x...x...x...x...", "hat_open": "..x...x...x...x."},
            "ride": {"ride": "x.o.x.oox.o.x.o.|x.o.x.oox.oox.o.", "hat_pedal": "....o.......o...|....o.......o..."},
        },
        rules={"voice_feel": {"hat_closed": {"push_ms": -4.0}}},
    )
    hands = DemoPart(
        "Hand percussion",
        "net_loft",
        {"A": {"shaker": "o-x-o-", "conga_low": "x.....", "conga_high": "...o.o"},
         "A+": {"shaker": "oxx-ox", "conga_low": "x..x..", "conga_high": "..oo.o", "tambourine": "..x..."}},
        rules={"cycle_ticks": 1440, "restarts": False, "level_db": -4.0, "feel": {"drift_ms": 3.0, "jitter_ms": 2.0}},
    )  # fmt: skip
    second = DemoPart(
        "Second snare",
        "signal_box",
        {"B": {"snare": "....x.......x...", "clap": "............o..."},
         "roll": {"snare": "................|........-.-.-.-.|o.o.o.o.o.o.oooo|x.x.xxxxXXXXXXXX"}},
        rules={"level_db": -7.0, "feel": {"push_ms": 7.0}},
    )  # fmt: skip
    song = build_song(
        session,
        "Lamplighter",
        tempo_bpm=104.0,
        parts=(backbone, cymbals, hands, second),
        sections=LAMPLIGHTER,
        feel={**SWUNG_16THS, "template_id": rope_walk, "timing_pull": 70.0, "accent_pull": 0.0},
    )
    song.stage = _lamplighter_stage(session, song)
    session.flush()
    return song


def _lamplighter_stage(session: Session, song: SongRow) -> dict[str, object]:
    """Cymbals in a short room, the clap in a long one, the percussion glued and stepping back for the backbone; the
    break through a narrow band."""
    parts = {one.name: one.id for one in session.query(PartRow).filter(PartRow.song_id == song.id)}

    def voice(part: str, name: str) -> str:
        return f"part:{parts[part]}:{name}"

    hands = [voice("Hand percussion", name) for name in ("shaker", "conga_high", "conga_low")]
    backbone = " ".join(voice("Backbone", name) for name in ("kick", "snare"))
    duck = Unit("duck", settings={"by": backbone, "depth_db": -5.0, "release_ms": 140.0})
    glue = Unit("compressor", settings={"threshold_db": -30.0, "ratio": 3.0, "attack_ms": 12.0})
    thin = Unit("tone", settings={"low_cut_hz": 120.0, "bell_1_db": -3.0, "high_shelf_db": 2.5})
    places = {
        voice("Cymbals", "ride"): Place((), {"short": 28.0}),
        voice("Cymbals", "hat_open"): Place((), {"short": 18.0}),
        voice("Cymbals", "hat_closed"): Place((), {"short": 8.0}),
        voice("Second snare", "clap"): Place((), {"long": 36.0}),
        voice("Hand percussion", "conga_high"): Place((thin,), {"short": 20.0, "echo": 16.0}),
        voice("Backbone", "rim"): Place((), {"echo": 10.0}),
        "group:g1": Place((glue, duck)),
        "long": Place((Unit("duck", settings={"by": backbone, "depth_db": -4.0}),)),
        "whole": Place(
            (
                Unit("tone", on=False, settings={"low_cut_hz": 260.0, "high_cut_hz": 2_400.0}),
                Unit("compressor", settings={"threshold_db": -16.0, "ratio": 1.6, "attack_ms": 25.0}),
            )
        ),
    }
    query = session.query(SectionRow).filter(SectionRow.song_id == song.id, SectionRow.name == "Break")
    filtered = SectionSettings(switches={"whole": {"tone": True}})
    stage = Stage(
        places, (Group("g1", "percussion", tuple(hands)),), sections={section.id: filtered for section in query}
    )
    kept = {"A": {"name": "placed", "stage": stage_doc(stage)}, "B": {"name": "dry", "stage": stage_doc(Stage())}}
    return {"shown": "A", "settings": kept}


def slack_water(session: Session) -> SongRow:
    """72 bpm, a half-time shuffle: swung 16ths, the backbeat on three."""
    drums = DemoPart(
        "Drums",
        "boathouse",
        {
            "A": {"kick": "X.....xx..x.....", "snare": "..-..-..X.-..-.-", "hat_closed": "x-ox-ox-ox-ox-ox"},
            "B": {"kick": "X..x..xx..x..x..", "snare": "..-..-..X.-..-.-", "ride": "x.ox.ox.ox.ox.ox"},
            "fill": {"snare": "x-oxX-xx", "tom_low": "....x..X"},
        },
    )
    shaker = DemoPart("Shaker", "net_loft", {"A": {"shaker": "o-xo-x"}}, rules={"restarts": False, "level_db": -6.0})
    sections = (
        DemoSection("Intro", 2, {"Shaker": "A"}),
        DemoSection(
            "Verse", 8, {"Drums": "A", "Shaker": "A"}, joins=({"kind": "fill", "part": "Drums", "pattern": "fill"},)
        ),
        DemoSection("Chorus", 8, {"Drums": "B", "Shaker": "A"}),
        DemoSection("Outro", 4, {"Drums": {"pattern": "A", "muted": ["snare"]}, "Shaker": "A"}),
    )
    feel = {"swing_percent": 64.0, "swing_unit": 16, "drift_ms": 4.0, "touch": 6}
    return build_song(session, "Slack Water", tempo_bpm=72.0, parts=(drums, shaker), sections=sections, feel=feel)


def ferry_bell(session: Session) -> SongRow:
    """168 bpm, a two-step, with a bell that turns in five beats."""
    beat = DemoPart(
        "Beat",
        "signal_box",
        {
            "A": {"kick": "X.........X.....", "snare": "....X.......X...", "hat_closed": "x.x.x.xxx.x.x.x."},
            "B": {"kick": "X..x......X..x..", "snare": "....X..-.-..X..-", "hat_closed": "x.x.x.xxx.xxx.x."},
            "fill": {"snare": "X.xxX.xxXxXxXXXX"},
        },
        rules={"pattern_order": [], "change_percent": 20.0, "seed": 7},
    )
    bell = DemoPart(
        "Bell", "net_loft", {"A": {"bell": "x...o.x.....o.......", "wood": "....x.....x.....x..."}},
        rules={"restarts": False, "cycle_ticks": 4800, "level_db": -5.0},
    )  # fmt: skip
    sections = (
        DemoSection("Quay", 8, {"Bell": "A"}),
        DemoSection(
            "Crossing", 16, {"Beat": "A", "Bell": "A"}, joins=({"kind": "fill", "part": "Beat", "pattern": "fill"},)
        ),
        DemoSection("Drop", 16, {"Beat": "B", "Bell": "A"}, joins=({"kind": "drop", "beats": 4.0, "keep": ["Bell"]},)),
        DemoSection("Far side", 8, {"Bell": "A"}),
    )
    feel = {"swing_percent": 54.0, "swing_unit": 16}
    return build_song(session, "Ferry Bell", tempo_bpm=168.0, parts=(beat, bell), sections=sections, feel=feel)


def three_piers(session: Session) -> SongRow:
    """6/8, with a bridge in 9/8."""
    drums = DemoPart(
        "Drums",
        "boathouse",
        {
            "A": {"kick": "X...........", "snare": "......X.....", "hat_closed": "x.o.o.x.o.o."},
            "B": {"kick": "X...x.....x.", "snare": "......X..-.-", "ride": "x.o.o.x.o.o."},
            "nine": {"kick": "X.....x...........", "snare": "............X.....", "ride": "x.o.o.x.o.o.x.o.o."},
            "fill": {"tom_high": "xx..........", "tom_mid": "..xx........", "tom_low": "....xxx.x.x.",
                     "snare": "......x.x.xx"},
        },
    )  # fmt: skip
    frame = DemoPart(
        "Frame drum", "net_loft",
        {"A": {"conga_low": "X.....x.....", "conga_high": "..o.o...o.oo", "tambourine": "......x....."}},
        rules={"level_db": -3.0, "feel": {"push_ms": -3.0, "jitter_ms": 3.0}},
    )  # fmt: skip
    sections = (
        DemoSection("First pier", 8, {"Drums": "A", "Frame drum": "A"},
                    joins=({"kind": "fill", "part": "Drums", "pattern": "fill"},)),
        DemoSection("Second pier", 8, {"Drums": "B", "Frame drum": "A"}),
        DemoSection("Bridge", 4, {"Drums": "nine"}, metre="9/8", tempo_bpm=88.0),
        DemoSection("Third pier", 8, {"Drums": "B", "Frame drum": "A"}),
    )  # fmt: skip
    feel = {"drift_ms": 3.0, "touch": 5}
    return build_song(
        session, "Three Piers", tempo_bpm=94.0, metre=Metre(6, 8), parts=(drums, frame), sections=sections, feel=feel
    )
