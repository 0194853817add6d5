"""Edits of a song's loops: brought in, corrected, taken out; and what the song takes from one."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Annotated, Any, Literal

from pydantic import Field, SkipValidation

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.listen.loop_analysis import Corrections, LoopAnalysis, analyze_again, analyze_loop
from easy_pocket.core.listen.loop_beat import LoopBeat
from easy_pocket.core.listen.nearest_attack import attack_near
from easy_pocket.core.listen.sit_in import SitIn, SitInResult
from easy_pocket.core.listen.typical_bars import kept_bars
from easy_pocket.core.pattern.insert_phrase import on_kit
from easy_pocket.core.pattern.lock_edits import keep_locks
from easy_pocket.core.pattern.timebase import check_tempo
from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.loops.listening import listening
from easy_pocket.store.loops.loops import (
    StoredAudio,
    add_loop,
    analysis_from_doc,
    analysis_to_doc,
    corrections_from_doc,
    corrections_to_doc,
    get_loop,
    load_audio,
    stored,
)
from easy_pocket.store.loops.waveform_cache import drawn_sound
from easy_pocket.store.schema.tables import LoopRow
from easy_pocket.store.songs.edits.fields import Finite, Id, Strict, Tick, Voices
from easy_pocket.store.songs.edits.loop_corrections import LoopChange, apply_correction
from easy_pocket.store.songs.edits.registry import Edit, EditContext, FileEdit, Preparation, Step, edit
from easy_pocket.store.songs.loop_uses import loop_beat, sitting_in


@dataclass(frozen=True)
class AnalyzedFile:
    """A loop that was read from a file and listened to."""

    name: str
    audio: StoredAudio
    heard: LoopAnalysis
    corrections: Corrections = field(default_factory=Corrections)


class BringInLoop(FileEdit):
    kind: Literal["loop_bring"] = "loop_bring"
    file: Annotated[AnalyzedFile, SkipValidation]


@edit(description=lambda song, sent: f"bring in {sent.file.name}", by_file=True)
def bring_in_loop(context: EditContext, sent: BringInLoop) -> Step:
    row = add_loop(context.session, context.song.row.id, sent.file.name, sent.file.audio, sent.file.heard)
    row.removed = True
    context.session.flush()
    return Step([field_patch("loop", row, removed=False)], made=row.id)


class KeepBars(Edit):
    """Bars of a loop as a loop of its own, the first counted from 1."""

    kind: Literal["loop_keep_bars"]
    loop_id: Id
    from_bar: Annotated[int, Field(ge=1, le=2_000)]
    bars: Annotated[int, Field(ge=1, le=64)]


def _kept_bars(preparation: Preparation, sent: KeepBars) -> AnalyzedFile:
    """The bars cut out, and heard as so many bars. Raises BadValueError for bars that are not there."""
    row = get_loop(preparation.reader, preparation.song.row.id, sent.loop_id)
    heard = analysis_from_doc(row.found)
    audio = load_audio(preparation.reader, row.audio_hash, row.name)
    cut, one_s = kept_bars(audio, heard.onsets, heard.reading, sent.from_bar, sent.bars)
    known = Corrections(bars=sent.bars, metre=heard.reading.metre, cut_s=one_s)
    return AnalyzedFile(cut.name, stored(cut), analyze_loop(cut, known, keep_unheard=True), known)


@edit(description="keep {name}", prepare=_kept_bars)
def keep_bars(context: EditContext, sent: KeepBars) -> Step:
    made: AnalyzedFile = context.prepared
    return new_loop(context, made)


def new_loop(context: EditContext, made: AnalyzedFile) -> Step:
    """What was cut out and listened to as a loop of the song, with the corrections that say how it is read."""
    row = add_loop(context.session, context.song.row.id, made.name, made.audio, made.heard)
    row.overruled = corrections_to_doc(made.corrections)
    row.removed = True
    context.session.flush()
    return Step([field_patch("loop", row, removed=False)], said={"name": made.name}, made=row.id)


class TakeLoop(Edit):
    kind: Literal["loop_take"]
    loop_id: Id


@edit(description="remove {name}")
def take_loop(context: EditContext, sent: TakeLoop) -> Step:
    row = get_loop(context.session, context.song.row.id, sent.loop_id)
    return Step([field_patch("loop", row, removed=True)], said={"name": row.name})


class BringLoopBack(Edit):
    """Out of the bin: a loop that was removed, as it was."""

    kind: Literal["loop_back"]
    loop_id: Id


@edit(description="bring back {name}")
def bring_loop_back(context: EditContext, sent: BringLoopBack) -> Step:
    row = context.session.get(LoopRow, sent.loop_id)
    if row is None or row.song_id != context.song.row.id or not row.removed:
        raise EditRefusedError("This loop is not in the bin any more: look at the song's loops.")
    return Step([field_patch("loop", row, removed=False)], said={"name": row.name}, made=row.id)


class CorrectLoop(Edit):
    """One correction of what was heard."""

    kind: Literal["loop_correct"]
    loop_id: Id
    change: LoopChange


@dataclass(frozen=True)
class Corrected:
    heard: LoopAnalysis
    corrections: Corrections
    words: str


def _corrected(preparation: Preparation, sent: CorrectLoop) -> Corrected:
    """Listen again where the correction asks for it. Raises what `analyze_loop` raises."""
    reader = preparation.reader
    row = get_loop(reader, preparation.song.row.id, sent.loop_id)
    now, heard = corrections_from_doc(row.overruled), analysis_from_doc(row.found)

    def audio() -> Audio:
        return load_audio(reader, row.audio_hash, row.name)

    def attack(time_s: float) -> float:
        return attack_near(*drawn_sound(reader, row), time_s)

    after, words = apply_correction(now, heard, sent.change, audio, attack)
    groups_only = replace(now, groups=after.groups, kept_s=after.kept_s) == after  # hearing does not depend on them
    if not groups_only:
        heard = analyze_again(row.audio_hash, lambda: listening(row.audio_hash, audio), after, heard.hints)
    return Corrected(heard, after, words)


@edit(description="{done} in {name}", prepare=_corrected)
def correct_loop(context: EditContext, sent: CorrectLoop) -> Step:
    row = get_loop(context.session, context.song.row.id, sent.loop_id)
    made: Corrected = context.prepared
    patch = field_patch("loop", row, found=analysis_to_doc(made.heard), overruled=corrections_to_doc(made.corrections))
    return Step([patch], said={"done": made.words, "name": row.name})


class PutBeat(Edit):
    """A loop's hits on the song's kit: "replace" the pattern, or "join" what is written (hits in the same place stay).
    tempo: the song goes at the loop's."""

    kind: Literal["loop_beat"]
    loop_id: Id
    how: Literal["replace", "join"]
    tempo: bool = False


def _beat(preparation: Preparation, sent: Any) -> LoopBeat:
    return loop_beat(preparation.reader, get_loop(preparation.reader, preparation.song.row.id, sent.loop_id))


@edit(description="hits of {name} {done}", prepare=_beat)
def put_beat(context: EditContext, sent: PutBeat) -> Step:
    song, beat = context.song, context.prepared
    name = get_loop(context.session, song.row.id, sent.loop_id).name
    if not beat.pattern.hits:
        raise EditRefusedError(f"{name} holds no hits to write: add some by hand, or raise the sensitivity.")
    if sent.how == "join" and beat.pattern.metre != song.metre:
        raise EditRefusedError(
            f"{name} is in {beat.pattern.metre}, the song in {song.metre}: replace the pattern instead."
        )
    hits = on_kit(beat.pattern.hits, song.kit.roles)
    patches: list[Patch] = []
    if sent.how == "join":
        length = max(song.pattern.length_ticks, beat.pattern.length_ticks)
        there = set(song.pattern.by_place)
        more = tuple(hit for hit in hits if (hit.voice, hit.tick) not in there)
        after = replace(song.pattern, length_ticks=length, hits=(*song.pattern.hits, *more))
    else:
        metre = beat.pattern.metre
        after = replace(song.pattern, length_ticks=beat.pattern.length_ticks, hits=hits, metre=metre)
        if metre != song.metre:
            patches.append(field_patch("song", song.row, metre_beats=metre.beats, metre_unit=metre.unit))
    needed = {hit.voice for hit in hits} - set(song.part.voices)
    if needed:
        voices = [role for role in ROLES if role in {*song.part.voices, *needed}]
        patches.append(field_patch("part", song.part, voices=voices))
    if sent.tempo:
        patches.append(field_patch("song", song.row, tempo_bpm=round(check_tempo(beat.tempo_bpm), 3)))
    done = "joined to what is written" if sent.how == "join" else "written"
    patches = [patch for patch in patches if patch["fields"]]
    return Step(patches, keep_locks(song.pattern, after), said={"name": name, "done": done})


class SitInRequest(Strict):
    """How far which voices (none: all) go to the loop's hits."""

    strength_percent: Finite
    voices: Voices = Field(default_factory=list)
    step_ticks: Tick = 240


def sit_in_of(sent: SitInRequest) -> SitIn:
    return SitIn(sent.strength_percent, tuple(sent.voices), sent.step_ticks)


class SitSongIn(Edit, SitInRequest):
    kind: Literal["sit_in"]
    loop_id: Id


def _sat_in(preparation: Preparation, sent: SitSongIn) -> SitInResult:
    return sitting_in(preparation.reader, preparation.song.values, sent.loop_id, sit_in_of(sent))


@edit(description="sit {count} hits in with {name} by {strength_percent:g} %", prepare=_sat_in)
def sit_song_in(context: EditContext, sent: SitSongIn) -> Step:
    moved = context.prepared.tightening
    if not moved.moved.any():
        raise EditRefusedError("No hit moves by this: all of them lie there already.")
    name = get_loop(context.session, context.song.row.id, sent.loop_id).name
    return Step(pattern=moved.after, said={"count": int(moved.moved.sum()), "name": name})
