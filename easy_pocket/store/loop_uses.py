"""What a song takes from a loop: its hits on the song's kit; and hits that sit in with it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import PurePath

from sqlalchemy.orm import Session

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.formats.slice_kit import slice_kit
from easy_pocket.core.listen.groups import Group, HeardBeat, beat_of, groups_now
from easy_pocket.core.listen.hear import Heard
from easy_pocket.core.locks import keep_locks
from easy_pocket.core.put_line import on_kit
from easy_pocket.core.sit_in import SatIn, SitIn, sit_in
from easy_pocket.core.timebase import check_tempo
from easy_pocket.core.voices import ROLES
from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.keep import begin, keep_pattern
from easy_pocket.store.kits import add_kit
from easy_pocket.store.loops import found_from_doc, get_loop, load_audio, overrules_from_doc
from easy_pocket.store.models import LoopRow, SongRow
from easy_pocket.store.samples import save_samples
from easy_pocket.store.songs import LoadedSong, create_song, load_song


def groups_of(session: Session, row: LoopRow) -> tuple[Heard, tuple[Group, ...]]:
    """A loop's hits sorted by sound, as they were left or as proposed."""
    heard, overrules = found_from_doc(row.found), overrules_from_doc(row.overruled)
    return heard, groups_now(load_audio(session, row.audio_hash, row.name), heard.onsets, overrules.groups)


def heard_beat(session: Session, row: LoopRow) -> HeardBeat:
    heard, groups = groups_of(session, row)
    return beat_of(heard.onsets, heard.reading, groups)


def put_beat(session: Session, song_id: int, revision: int, loop_id: int, how: str, tempo: bool) -> LoadedSong:
    """A loop's hits on the song's kit: "replace" the pattern, or "join" what is written (hits in the same place stay).
    tempo: the song goes at the loop's. One step of the undo log."""
    loaded = begin(session, song_id, revision)
    row = get_loop(session, song_id, loop_id)
    beat = heard_beat(session, row)
    if not beat.pattern.hits:
        raise EditRefusedError(f"{row.name} holds no hits to write: add some by hand, or raise the sensitivity.")
    if how == "join" and beat.pattern.metre != loaded.metre:
        raise EditRefusedError(
            f"{row.name} is in {beat.pattern.metre}, the song in {loaded.metre}: replace the pattern instead."
        )
    hits = on_kit(beat.pattern.hits, loaded.kit.roles)
    patches: list[Patch] = []
    if how == "join":
        length = max(loaded.pattern.length_ticks, beat.pattern.length_ticks)
        there = set(loaded.pattern.by_place)
        more = tuple(hit for hit in hits if (hit.voice, hit.tick) not in there)
        after = replace(loaded.pattern, length_ticks=length, hits=(*loaded.pattern.hits, *more))
    else:
        metre = beat.pattern.metre
        after = replace(loaded.pattern, length_ticks=beat.pattern.length_ticks, hits=hits, metre=metre)
        if metre != loaded.metre:
            patches.append(field_patch("song", loaded.row, metre_beats=metre.beats, metre_unit=metre.unit))
    after = keep_locks(loaded.pattern, after)
    needed = {hit.voice for hit in hits} - set(loaded.part.voices)
    if needed:
        voices = [role for role in ROLES if role in {*loaded.part.voices, *needed}]
        patches.append(field_patch("part", loaded.part, voices=voices))
    if tempo:
        patches.append(field_patch("song", loaded.row, tempo_bpm=round(check_tempo(beat.tempo_bpm), 3)))
    words = f"hits of {row.name} {'joined to what is written' if how == 'join' else 'written'}"
    keep_pattern(session, loaded, after, words, patches=tuple(patch for patch in patches if patch["fields"]))
    session.flush()
    return replace(load_song(session, song_id), just_done=words)


def sitting_in(session: Session, loaded: LoadedSong, loop_id: int, wanted: SitIn) -> SatIn:
    """What sitting in would do to the song as it is."""
    heard = found_from_doc(get_loop(session, loaded.row.id, loop_id).found)
    return sit_in(loaded.pattern, loaded.feel, loaded.tempo_bpm, heard.onsets, heard.reading, wanted)


def sit_song_in(session: Session, song_id: int, revision: int, loop_id: int, wanted: SitIn) -> LoadedSong:
    loaded = begin(session, song_id, revision)
    done = sitting_in(session, loaded, loop_id, wanted)
    if not done.tightening.moved.any():
        raise EditRefusedError("No hit moves by this: all of them lie there already.")
    name = get_loop(session, song_id, loop_id).name
    words = f"sit {int(done.tightening.moved.sum())} hits in with {name} by {wanted.strength_percent:g} %"
    return keep_pattern(session, loaded, done.tightening.after, words)


def song_of_slices(session: Session, song_id: int, loop_id: int, by: str, slots: int) -> SongRow:
    """A new song on the shelf that is the loop, cut: a kit of its slices and the pattern that replays them."""
    row = get_loop(session, song_id, loop_id)
    heard, audio = found_from_doc(row.found), load_audio(session, row.audio_hash, row.name)
    name = PurePath(row.name).stem[:60] or "loop"
    kit, samples, pattern = slice_kit(audio, heard, f"{name} slices", by, slots)
    tempo_bpm = check_tempo(heard.reading.tempo_bpm)
    save_samples(session, samples)
    kit_row = add_kit(session, kit)
    return create_song(
        session,
        f"{name} in slices",
        tempo_bpm=tempo_bpm,
        metre=pattern.metre,
        bars=pattern.bars,
        kit_key=kit_row.key,
        voices=kit.roles,
        hits=pattern.hits,
    )
