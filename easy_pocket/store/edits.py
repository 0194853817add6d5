"""Editing a song: load, change, keep, all in one transaction with its undo entry."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy.orm import Session

from easy_pocket.core.edit import Edit, apply_edit, describe_edit
from easy_pocket.core.errors import EditRefusedError, require_range
from easy_pocket.core.pattern import Pattern
from easy_pocket.core.sound.events import MAX_LEVEL_DB, VoiceMix
from easy_pocket.core.timebase import GRID_NAMES, GRID_TICKS, check_tempo
from easy_pocket.core.voices import ROLES, check_voice
from easy_pocket.store.changes import field_patch
from easy_pocket.store.feels import value_words
from easy_pocket.store.hits import locks_of
from easy_pocket.store.keep import begin, finish, keep_pattern
from easy_pocket.store.kits import load_kit
from easy_pocket.store.songs import LoadedSong, check_name


def edit_pattern(session: Session, song_id: int, revision: int, edit: Edit, gesture: str | None = None) -> LoadedSong:
    """Raises StaleRevisionError, EditRefusedError or BadValueError; nothing is written then."""
    loaded = begin(session, song_id, revision)
    after = apply_edit(loaded.pattern, edit)
    changed = _voices_changed(loaded.pattern, after)
    if not changed <= set(loaded.part.voices):
        raise EditRefusedError("This part has no rail for that voice: add the voice first.")
    kept = keep_pattern(session, loaded, after, describe_edit(edit, loaded.pattern), gesture)
    same_frame = after.length_ticks == loaded.pattern.length_ticks and locks_of(after) == locks_of(loaded.pattern)
    return replace(kept, just_changed=changed if same_frame else None)


def _voices_changed(before: Pattern, after: Pattern) -> frozenset[str]:
    gone, come = before.differences(after)
    return frozenset(hit.voice for hit in (*gone, *come))


def set_tempo(
    session: Session, song_id: int, revision: int, tempo_bpm: float, gesture: str | None = None
) -> LoadedSong:
    loaded = begin(session, song_id, revision)
    tempo_bpm = round(check_tempo(tempo_bpm), 3)
    patch = field_patch("song", loaded.row, tempo_bpm=tempo_bpm)
    return finish(session, loaded, f"tempo {tempo_bpm:g}", [patch], gesture)


def set_name(session: Session, song_id: int, revision: int | None, name: str) -> LoadedSong:
    loaded = begin(session, song_id, revision)
    patch = field_patch("song", loaded.row, name=check_name(name))
    return finish(session, loaded, "rename the song", [patch], None)


def set_mix(
    session: Session,
    song_id: int,
    revision: int,
    voice: str,
    field: str,
    value: float | bool,
    gesture: str | None = None,
) -> LoadedSong:
    """Level, pan, mute or solo of a voice."""
    loaded = begin(session, song_id, revision)
    if voice not in loaded.part.voices:
        raise EditRefusedError("This part has no rail for that voice: add the voice first.")
    if field == "level_db":
        require_range("The level", value, -60.0, MAX_LEVEL_DB, "dB")
    elif field == "pan":
        require_range("The pan", value, -1.0, 1.0)
    else:
        value = bool(value)
    own = {**loaded.part.mix.get(voice, {}), field: value}
    VoiceMix(**own)
    patch = field_patch("part", loaded.part, mix={**loaded.part.mix, voice: own})
    word = {"level_db": "level", "pan": "pan", "mute": "mute", "solo": "solo"}[field]
    words = f"{word} of {ROLES[voice].name.lower()} {value_words(value)}"
    return finish(session, loaded, words, [patch], gesture)


def solo_only(session: Session, song_id: int, revision: int, voices: tuple[str, ...]) -> LoadedSong:
    """Exactly these voices soloed; with none, all sound again."""
    loaded = begin(session, song_id, revision)
    wanted = {check_voice(voice) for voice in voices} & set(loaded.part.voices)
    mix = {voice: {**loaded.part.mix.get(voice, {}), "solo": voice in wanted} for voice in loaded.part.voices}
    names = ", ".join(ROLES[voice].name.lower() for voice in loaded.part.voices if voice in wanted)
    words = f"only {names}" if wanted else "all voices sound"
    return finish(session, loaded, words, [field_patch("part", loaded.part, mix={**loaded.part.mix, **mix})], None)


def set_voice(session: Session, song_id: int, revision: int, voice: str, there: bool) -> LoadedSong:
    """Add a voice's rail, in the kit's order, or take away one that has no hits."""
    loaded = begin(session, song_id, revision)
    check_voice(voice)
    if there and voice not in loaded.kit.roles:
        raise EditRefusedError(f"{loaded.kit.name} has no {ROLES[voice].name.lower()}.")
    if not there and any(hit.voice == voice for hit in loaded.pattern.hits):
        raise EditRefusedError(f"{ROLES[voice].name} still has hits: remove them first, or mute it.")
    chosen = {*loaded.part.voices, voice} if there else {*loaded.part.voices} - {voice}
    if not chosen:
        raise EditRefusedError("A part needs at least one voice.")
    voices = [role for role in ROLES if role in chosen]
    words = f"{'add' if there else 'take away'} {ROLES[voice].name.lower()}"
    return finish(session, loaded, words, [field_patch("part", loaded.part, voices=voices)], None)


def set_grid(session: Session, song_id: int, revision: int, grid: str) -> LoadedSong:
    """What a slot of the part is; hits stay where they were written."""
    loaded = begin(session, song_id, revision)
    patch = field_patch("part", loaded.part, step_ticks=GRID_TICKS[grid])
    return finish(session, loaded, f"grid of {GRID_NAMES[grid]}", [patch], None)


def set_voice_grid(session: Session, song_id: int, revision: int, voice: str, grid: str) -> LoadedSong:
    """A row's own grid, "part" for the part's, or "off"."""
    loaded = begin(session, song_id, revision)
    steps = {key: ticks for key, ticks in (loaded.part.voice_steps or {}).items() if key != check_voice(voice)}
    if grid != "part":
        steps[voice] = GRID_TICKS.get(grid, 0)
    named = {"part": "that of the part", "off": "off"}.get(grid) or GRID_NAMES[grid]
    words = f"grid of {ROLES[voice].name.lower()}: {named}"
    return finish(session, loaded, words, [field_patch("part", loaded.part, voice_steps=steps)], None)


def set_kit(session: Session, song_id: int, revision: int, kit_key: str) -> LoadedSong:
    kit = load_kit(session, kit_key)
    loaded = begin(session, song_id, revision)
    patch = field_patch("part", loaded.part, kit_key=kit.key)
    return finish(session, loaded, f"kit {kit.name}", [patch], None)
