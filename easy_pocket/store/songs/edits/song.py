"""Edits of the song's frame: tempo, name, the mix of voices, rails, grids, the kit of the part."""

from __future__ import annotations

from typing import Literal

from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.pattern.timebase import GRID_NAMES, GRID_TICKS, check_tempo
from easy_pocket.core.pattern.voices import ROLES, check_voice, voice_name
from easy_pocket.core.sound.events import VoiceMix
from easy_pocket.core.sound.levels import MAX_LEVEL_DB, MIN_LEVEL_DB
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.kits.kits import load_kit
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.fields import Finite, Id, KitKey, Name, Voice, Voices
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Step, edit
from easy_pocket.store.songs.feels import describe_value
from easy_pocket.store.songs.find import find_part
from easy_pocket.store.songs.song_rows import SongRows

Grid = Literal["8", "8T", "16", "16T", "32", "quint"]


class SetTempo(Edit):
    kind: Literal["tempo"]
    tempo_bpm: Finite


@edit(description="tempo {tempo_bpm:g}")
def set_tempo(context: EditContext, sent: SetTempo) -> Step:
    tempo_bpm = round(check_tempo(sent.tempo_bpm), 3)
    return Step([field_patch("song", context.song.row, tempo_bpm=tempo_bpm)], said={"tempo_bpm": tempo_bpm})


class SetName(Edit):
    kind: Literal["name"]
    name: Name


@edit(description="rename the song")
def set_name(context: EditContext, sent: SetName) -> Step:
    return Step([field_patch("song", context.song.row, name=check_name(sent.name))])


class SetMix(Edit):
    """part_id: 0 for the selected part."""

    kind: Literal["mix"]
    part_id: Id = 0
    voice: Voice
    field: Literal["level_db", "pan", "mute", "solo"]
    value: Finite | bool


MIX_WORDS = {"level_db": "level", "pan": "pan", "mute": "mute", "solo": "solo"}


@edit(description="{what} of {whose} {shown}")
def set_mix(context: EditContext, sent: SetMix) -> Step:
    """Level, pan, mute or solo of a voice."""
    part = find_part(context.song, sent.part_id).row if sent.part_id else context.song.part
    value = sent.value
    if sent.voice not in part.voices:
        raise EditRefusedError("This part has no rail for that voice: add the voice first.")
    if sent.field == "level_db":
        require_range("The level", value, MIN_LEVEL_DB, MAX_LEVEL_DB, "dB")
    elif sent.field == "pan":
        require_range("The pan", value, -1.0, 1.0)
    else:
        value = bool(value)
    own = {**part.mix.get(sent.voice, {}), sent.field: value}
    VoiceMix(**own)
    said = {"what": MIX_WORDS[sent.field], "whose": voice_name(sent.voice), "shown": describe_value(value)}
    return Step([field_patch("part", part, mix={**part.mix, sent.voice: own})], said=said)


class SoloOnly(Edit):
    """Exactly these voices soloed; none: all sound again."""

    kind: Literal["solo_only"]
    voices: Voices


@edit(description="{which}")
def solo_only(context: EditContext, sent: SoloOnly) -> Step:
    part = context.song.part
    wanted = {check_voice(voice) for voice in sent.voices} & set(part.voices)
    mix = {voice: {**part.mix.get(voice, {}), "solo": voice in wanted} for voice in part.voices}
    names = ", ".join(voice_name(voice) for voice in part.voices if voice in wanted)
    which = f"only {names}" if wanted else "all voices sound"
    return Step([field_patch("part", part, mix={**part.mix, **mix})], said={"which": which})


class SetVoice(Edit):
    """Give the part a voice's rail, or take away one without hits."""

    kind: Literal["voice"]
    voice: Voice
    there: bool


@edit(description=lambda song, sent: f"{'add' if sent.there else 'remove'} {voice_name(sent.voice)}")
def set_voice(context: EditContext, sent: SetVoice) -> Step:
    """A rail in the kit's order."""
    song, voice = context.song, check_voice(sent.voice)
    if sent.there and voice not in song.kit.roles:
        raise EditRefusedError(f"{song.kit.name} has no {voice_name(voice)}.")
    if not sent.there and any(hit.voice == voice for hit in song.pattern.hits):
        raise EditRefusedError(f"{ROLES[voice].name} still has hits: remove them first, or mute it.")
    chosen = {*song.part.voices, voice} if sent.there else {*song.part.voices} - {voice}
    if not chosen:
        raise EditRefusedError("A part needs at least one voice.")
    return Step([field_patch("part", song.part, voices=[role for role in ROLES if role in chosen])])


class SetGrid(Edit):
    """What a slot of the part is; hits stay where they were written."""

    kind: Literal["grid"]
    grid: Grid


@edit(description=lambda song, sent: f"grid of {GRID_NAMES[sent.grid]}")
def set_grid(context: EditContext, sent: SetGrid) -> Step:
    return Step([field_patch("part", context.song.part, step_ticks=GRID_TICKS[sent.grid])])


class SetVoiceGrid(Edit):
    """A row's own grid: as for the part, "part" for the part's, or "off"."""

    kind: Literal["voice_grid"]
    voice: Voice
    grid: Grid | Literal["part", "off"]


def _grid_words(song: SongRows, sent: SetVoiceGrid) -> str:
    named = {"part": "that of the part", "off": "off"}.get(sent.grid) or GRID_NAMES[sent.grid]
    return f"grid of {voice_name(sent.voice)}: {named}"


@edit(description=_grid_words)
def set_voice_grid(context: EditContext, sent: SetVoiceGrid) -> Step:
    part = context.song.part
    steps = {key: ticks for key, ticks in (part.voice_steps or {}).items() if key != check_voice(sent.voice)}
    if sent.grid != "part":
        steps[sent.voice] = GRID_TICKS.get(sent.grid, 0)
    return Step([field_patch("part", part, voice_steps=steps)])


class SetKit(Edit):
    """The kit of the selected part."""

    kind: Literal["kit"]
    kit_key: KitKey


@edit(description="kit {name}")
def set_kit(context: EditContext, sent: SetKit) -> Step:
    kit = load_kit(context.session, sent.kit_key)
    return Step([field_patch("part", context.song.part, kit_key=kit.key)], said={"name": kit.name})
