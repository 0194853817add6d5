"""What stands on the floor: each sound with its sign, its level and pan, and how much of it goes to the rooms."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from easy_pocket.core.song.stage_sound import voice_place
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.stage.stage import Stage
from easy_pocket.store.loops.layered_loop_rows import LayeredLoop
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.song_loops import loop_place
from easy_pocket.store.songs.stack_playing import heard_parts
from easy_pocket.web.shared.voice_title import voice_title

# The floor, in its own units: 740 x 420.
LEFT, RIGHT, MIDDLE = 48.0, 692.0, 370.0
ROOM_TOP, ROOM_FOOT = 94.0, 182.0
DRY_ROWS = (376.0, 336.0, 296.0, 256.0, 216.0)
NEAR_X, NEAR_Y = 46.0, 30.0


@dataclass(frozen=True)
class StageSound:
    """A sound of the Stage. x, y: where it stands on the floor. part_id: 0 of a loop."""

    where: str
    name: str
    glyph: str
    part_id: int
    voice: str
    level_db: float
    pan: float
    mute: bool
    solo: bool
    heard: bool
    sends: dict[str, float]
    has_chain: bool
    group: str = ""
    x: float = 0.0
    y: float = 0.0

    @property
    def size(self) -> float:
        """Its radius: louder is larger."""
        return max(9.0, min(19.0, 14.0 + self.level_db * 0.45))

    @property
    def pan_words(self) -> str:
        if abs(self.pan) < 0.005:
            return "middle"
        return f"{abs(self.pan) * 100:.0f} {'right' if self.pan > 0 else 'left'}"

    @property
    def level_words(self) -> str:
        return f"{self.level_db:+.1f}".replace("-", "−") if self.level_db else "0"


@dataclass(frozen=True)
class SoundGroup:
    """The sounds of a part, or the loops underneath."""

    where: str
    name: str
    sounds: tuple[StageSound, ...]
    has_chain: bool = False


def sound_groups(song: LoadedSong, room: str, stage: Stage, levels_db: Mapping[str, float]) -> list[SoundGroup]:
    """Of every part, then the loops; placed on the floor by pan and by how much goes to `room`. levels_db: those that
    are others than the song's, by place."""
    heard = heard_parts(song)
    found: list[SoundGroup] = []
    for part in song.parts:
        kit = song.kits[part.kit_key]
        known = {voice.role: voice for voice in kit.voices}
        soloed = any(mix.solo for mix in part.mix.values())
        sounds = []
        for voice in part.voices:
            if voice not in known:
                continue
            mix = part.mix.get(voice, VoiceMix())
            place = stage.place(voice_place(part.id, voice))
            group = stage.group_of(voice_place(part.id, voice))
            sounds.append(
                StageSound(
                    where=voice_place(part.id, voice), name=voice_title(kit, voice), glyph=known[voice].sign,
                    part_id=part.id, voice=voice, level_db=levels_db.get(voice_place(part.id, voice), mix.level_db),
                    pan=known[voice].pan if mix.pan is None else mix.pan, mute=mix.mute, solo=mix.solo,
                    heard=part.id in heard and (mix.solo if soloed else not mix.mute),
                    sends=dict(place.sends), has_chain=bool(place.chain), group=group.key if group else "",
                )
            )  # fmt: skip
        chain = bool(stage.place(f"part:{part.id}").chain)
        found.append(SoundGroup(f"part:{part.id}", part.name, tuple(sounds), chain))
    loops = tuple(_loop_sound(one, stage, levels_db) for one in song.layered_loops)
    if loops:
        found.append(SoundGroup("", "Loops underneath", loops))
    return _placed(found, room)


def _loop_sound(one: LayeredLoop, stage: Stage, levels_db: Mapping[str, float]) -> StageSound:
    where, settings = loop_place(one.id), one.settings
    place, group = stage.place(where), stage.group_of(where)
    return StageSound(
        where=where, name=one.name, glyph="wave", part_id=0, voice="",
        level_db=levels_db.get(where, settings.level_db), pan=0.0,
        mute=settings.muted, solo=False, heard=not settings.muted, sends=dict(place.sends),
        has_chain=bool(place.chain), group=group.key if group else "",
    )  # fmt: skip


def _placed(groups: list[SoundGroup], room: str) -> list[SoundGroup]:
    """Side by side by pan, up by what goes to the room; dry ones in rows at the front where they would hide others."""
    taken: list[tuple[float, float]] = []
    found = []
    for group in groups:
        sounds = []
        for sound in group.sounds:
            x = MIDDLE + sound.pan * (RIGHT - LEFT) / 2
            percent = sound.sends.get(room, 0.0)
            y = ROOM_FOOT - (ROOM_FOOT - ROOM_TOP) * math.sqrt(percent / 100)
            if not percent:
                y = _free_row(x, taken)
            taken.append((x, y))
            sounds.append(replace(sound, x=round(x, 1), y=round(y, 1)))
        found.append(replace(group, sounds=tuple(sounds)))
    return found


def _free_row(x: float, taken: list[tuple[float, float]]) -> float:
    """The row nearest the front where a sound hides no other; where all do, the one that hides least."""
    return max(DRY_ROWS, key=lambda row: (min(_apart(x, row, taken), 1.0), row))


def _apart(x: float, y: float, taken: list[tuple[float, float]]) -> float:
    """How far a place is from the nearest that is taken; 1 is far enough for both names to be read."""
    return min((max(abs(x - a) / NEAR_X, abs(y - b) / NEAR_Y) for a, b in taken), default=1.0)
