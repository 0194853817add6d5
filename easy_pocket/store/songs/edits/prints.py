"""Print: what is heard becomes a loop under the song, a part of slices, or a sound of the library."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.core.audio import Audio
from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.feel.feel import SETTINGS
from easy_pocket.core.formats.slice_kit import slice_kit
from easy_pocket.core.listen.layered_loop import layer_settings_from_doc
from easy_pocket.core.listen.loop_analysis import MAX_CORRECTIONS, Corrections, LoopAnalysis
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.sound.character import Character
from easy_pocket.core.sound.events import MASTER_GAIN
from easy_pocket.core.sound.kit import Kit
from easy_pocket.core.sound.one_shot import MAX_ONE_SHOT_S, content_key, one_shot
from easy_pocket.core.sound.role import guess_roles
from easy_pocket.core.sound.sample_format import Frames
from easy_pocket.core.sound.sound import Sound, sampled
from easy_pocket.core.sound.tones import RATE_HZ
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.kits.kits import add_kit
from easy_pocket.store.kits.samples import save_samples
from easy_pocket.store.kits.sound_library import NewSound, keep_measured, measured
from easy_pocket.store.loops.layered_loop_rows import layered_loop_docs_of
from easy_pocket.store.loops.loops import StoredAudio, add_loop, corrections_to_doc, stored
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.fields import Bars, Finite, Name
from easy_pocket.store.songs.edits.layered_loops import MOST_LAYERS
from easy_pocket.store.songs.edits.parts import added_part
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Preparation, Step, edit
from easy_pocket.store.songs.edits.stage_places import Where, check_place, place_name
from easy_pocket.store.songs.find import find_part
from easy_pocket.store.songs.prints import PrintChoice, print_place
from easy_pocket.store.songs.song_rows import SongRows

AS_LOUD_DB = round(-20 * math.log10(MASTER_GAIN), 6)  # a loop at this level is as loud as its audio
UNDER_DB = -6.0  # under what it was printed from it is so much softer
NEUTRAL = {setting.stored or name: setting.neutral for name, setting in SETTINGS.items() if setting.neutral is not None}
BECOMES = {"loop": "as a loop under the song", "slices": "as a part of slices", "sound": "as a sound of the library"}


class Print(Edit):
    """What is heard of a place becomes audio. bars 0: all that are left. mute: what was printed rests from then on.
    speed, pitch_semitones: of a loop. name: "" for one that says what it is."""

    kind: Literal["print"]
    where: Where
    to: Literal["loop", "slices", "sound"]
    of: Literal["loop", "song"] = "loop"
    from_bar: Bars = 1
    bars: Annotated[int, Field(ge=0, le=512)] = 0
    chains: bool = True
    rooms: bool = True
    speed: Finite = 1.0
    pitch_semitones: Finite = 0.0
    mute: bool = False
    name: Name = ""


@dataclass(frozen=True)
class Prepared:
    """What was printed becomes one of them: a loop with what is in it, a kit with its pattern, or a sound."""

    name: str
    loop: tuple[StoredAudio, LoopAnalysis] | None = None
    slices: tuple[Kit, dict[str, Frames], Pattern] | None = None
    sound: tuple[Sound, dict[str, Frames], str, Character] | None = None


def _name(song: Any, sent: Print) -> str:
    if sent.name.strip():
        return check_name(sent.name)[:60]
    what = song.name if sent.where == "whole" else place_name(song, sent.where).capitalize()
    bars = f" bars {sent.from_bar}-{sent.from_bar + sent.bars - 1}" if sent.bars > 1 else ""
    bars = bars or (f" bar {sent.from_bar}" if sent.bars else "")
    return f"{what}{bars}"[:60]


def _prepared(preparation: Preparation, sent: Print) -> Prepared:
    song = preparation.song.values
    check_place(preparation.song, sent.where)
    choice = PrintChoice(sent.where, sent.of, sent.from_bar, sent.bars, sent.chains, sent.rooms)
    told = preparation.on_progress
    printed, name = print_place(preparation.reader, song, choice, told), _name(song, sent)
    audio = Audio(printed.frames, RATE_HZ, name)
    if sent.to == "sound":
        if audio.duration_s > MAX_ONE_SHOT_S:
            raise BadValueError(
                f"These bars last {audio.duration_s:.0f} s; a sound lasts at most {MAX_ONE_SHOT_S:.0f}: choose fewer "
                "bars, or print them as a loop."
            )
        frames = one_shot(audio)
        key = content_key(frames)
        voice = sent.where.split(":")[2] if sent.where.count(":") == 2 else guess_roles([frames])[0].role
        character = measured(sampled(key), {key: frames}.__getitem__)
        return Prepared(name, sound=(sampled(key), {key: frames}, voice, character))
    told(0.9, "its hits")
    heard = printed.heard(name)
    if sent.to == "slices":
        return Prepared(name, slices=slice_kit(audio, heard, f"{name} slices"))
    return Prepared(name, loop=(stored(audio), heard))


@edit(
    description=lambda song, sent: f"print {place_name(song.values, sent.where)} {BECOMES[sent.to]}",
    prepare=_prepared,
    long=True,
)
def print_what_is_heard(context: EditContext, sent: Print) -> Step:
    made: Prepared = context.prepared
    patches = _muted(context.song, sent.where) if sent.mute else []
    if made.sound is not None:
        return Step([*patches, *_as_sound(context, made)])
    if made.slices is not None:
        kit, samples, pattern = made.slices
        save_samples(context.session, samples)
        row = add_kit(context.session, kit)
        plain = {"kit_key": row.key, "voices": list(kit.roles), "feel": NEUTRAL, "level_db": AS_LOUD_DB}
        return Step([*added_part(context, f"{made.name} slices", pattern, **plain), *patches], long=True)
    return _as_loop(context, sent, made, patches)


def _as_sound(context: EditContext, made: Prepared) -> list[Patch]:
    assert made.sound is not None
    sound, audio, role, character = made.sound
    save_samples(context.session, audio)
    ((row, new),) = keep_measured(context.session, [(NewSound(made.name, role, "printed", sound), character)])
    if not new:
        raise EditRefusedError(f"This sound is in the library already: it is called {row.name}.")
    row.removed = True
    context.session.flush()
    return [field_patch("sound", row, removed=False)]


def _as_loop(context: EditContext, sent: Print, made: Prepared, patches: list[Patch]) -> Step:
    assert made.loop is not None
    song = context.song
    docs = layered_loop_docs_of(song.row)
    if len(docs) >= MOST_LAYERS:
        raise EditRefusedError(f"{MOST_LAYERS} loops play under the stack, the most there can be: take one away first.")
    audio, heard = made.loop
    row = add_loop(context.session, song.row.id, made.name, audio, heard)
    # What is known stays so, whatever is corrected in it later.
    known = tuple(heard.onsets.time_s.tolist())[:MAX_CORRECTIONS]
    reading = heard.reading
    row.overruled = corrections_to_doc(Corrections(metre=reading.metre, bars=reading.bars, added_s=known))
    row.removed = True
    context.session.flush()
    doc: dict[str, object] = {
        "loop_id": row.id,
        "level_db": AS_LOUD_DB if sent.mute else AS_LOUD_DB + UNDER_DB,
        "speed": sent.speed,
        "pitch_semitones": sent.pitch_semitones,
    }
    layer_settings_from_doc(doc)  # refuses what is out of range
    sections = _sections_of(song, sent)
    if len(sections) < len(song.resolved):
        doc["section_ids"] = sections
    muted = next((patch for patch in patches if "layered_loops" in patch["fields"]), None)
    before = muted["fields"]["layered_loops"][1] if muted else docs
    others = [patch for patch in patches if patch is not muted]
    under = field_patch("song", song.row, layered_loops=[*before, doc])
    return Step([*others, field_patch("loop", row, removed=False), under], made=row.id)


def _sections_of(song: SongRows, sent: Print) -> list[int]:
    """Those the print is of: a loop's is the one that is looked at."""
    if sent.of == "loop":
        return [song.section.id]
    last = sent.from_bar + sent.bars - 1 if sent.bars else song.arrangement.bars
    spans = song.arrangement.spans
    heard = {
        span.section.key for span in spans if span.first_bar <= last and span.first_bar + span.bars > sent.from_bar
    }
    return [one.row.id for one in song.resolved if one.row.id in heard]


def _muted(song: SongRows, where: str) -> list[Patch]:
    """What was printed rests: voices by their mute, whole parts and loops by theirs. A single part is never muted: then
    all its voices are."""
    values = song.values
    if where == "whole":
        wanted = [f"part:{one.id}" for one in values.parts]
        wanted += [f"loop:{doc['loop_id']}" for doc in values.layered_loop_docs]
    elif where.startswith("group:"):
        wanted = list(next(one.members for one in values.stage.groups if where == f"group:{one.key}"))
    else:
        wanted = [where]
    patches, voices = [], dict[int, set[str]]()
    for one in wanted:
        kind, number, *voice = one.split(":")
        if kind == "part" and (voice or len(values.parts) == 1):
            voices.setdefault(int(number), set()).update(voice or values.part.voices)
        elif kind == "part":
            patches.append(field_patch("part", find_part(song, int(number)).row, mute=True))
    for part_id, own in voices.items():
        row = find_part(song, part_id).row
        mix = {**row.mix, **{voice: {**row.mix.get(voice, {}), "mute": True} for voice in own}}
        patches.append(field_patch("part", row, mix=mix))
    loops = {int(one.split(":")[1]) for one in wanted if one.startswith("loop:")}
    if loops:
        docs = [{**doc, "muted": True} if doc["loop_id"] in loops else doc for doc in layered_loop_docs_of(song.row)]
        patches.append(field_patch("song", song.row, layered_loops=docs))
    return [patch for patch in patches if patch["fields"]]
