"""How fast a mix on a full Stage is made: 16 voices, 5 chains of 4 units, both rooms, echo."""

from __future__ import annotations

from bench.clock import median_ms
from bench.mixdown import mixed_voices
from easy_pocket.core.pattern.voices import DRUMS
from easy_pocket.core.song.stage_sound import PartsSound, PlayedPart, strikes_of, voice_place
from easy_pocket.core.sound.house_kits import HOUSE_KITS
from easy_pocket.core.stage.crowding import crowding
from easy_pocket.core.stage.curves import BeatMap
from easy_pocket.core.stage.mix_stage import mix_stage
from easy_pocket.core.stage.stage import Group, Place, Stage, Unit
from easy_pocket.core.stage.units import Music

CHAIN = tuple(
    Unit(kind, settings=settings)
    for kind, settings in (
        ("tone", {"low_cut_hz": 120.0, "bell_1_db": -3.0, "high_shelf_db": 2.0}),
        ("drive", {}),
        ("compressor", {}),
        ("duck", {}),
    )
)


def run() -> None:
    kit = HOUSE_KITS["boathouse"]
    columns, length_s = mixed_voices(16)
    part = PlayedPart(1, columns, kit)
    sound = PartsSound([part], length_s, loop=True)
    music = Music(BeatMap.steady(60 / 104, length_s), strikes_of([part]))
    voices = [voice_place(1, voice) for voice in list(DRUMS)[:16]]
    chained = {where: Place(CHAIN, {"short": 20.0}) for where in voices[:3]}
    sent = {where: Place((), {"long": 20.0, "echo": 10.0}) for where in voices[3:6]}
    group = Group("g1", "tops", tuple(voices[6:9]))
    stage = Stage({**chained, **sent, "group:g1": Place(CHAIN), "whole": Place(CHAIN)}, (group,))
    took = median_ms(lambda: mix_stage(sound, stage, music), 3)
    plain = median_ms(lambda: mix_stage(sound, Stage(), music), 3)
    lines = {where: sound.line(where) for where in sound.places}
    crowded = median_ms(lambda: crowding(lines), 3)
    speed = 1000 * length_s / took
    print(
        f"8 bars, 16 voices, 5 chains of 4 units, rooms, echo, {length_s:.1f} s: {took:.0f} ms, "
        f"{speed:.0f} x real time (wanted: 25); the same without: {plain:.0f} ms"
    )
    print(f"crowding of 8 bars x 16 voices: {crowded:.0f} ms (wanted: 300)")
