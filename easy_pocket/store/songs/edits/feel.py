"""Edits of the feel: one setting, which voices a groove reaches, tightening, and writing it in."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from pydantic import Field

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.core.feel.feel import DEFAULTS, STORED, Feel, FeelScopes, first_set
from easy_pocket.core.feel.tighten import Tighten, Tightening
from easy_pocket.core.feel.write_in import write_in
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.pattern.voices import check_voice, voice_name
from easy_pocket.store.database import Reads
from easy_pocket.store.grooves.templates import find_template
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.songs.edits.fields import FeelField, Finite, Places, Strict, Tick, Voice, Voices
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Preparation, Step, edit
from easy_pocket.store.songs.feels import describe_value, feel_patch, own_with, scope_name, tightening
from easy_pocket.store.songs.loaded import LoadedSong


class SetFeel(Edit):
    """One field of the feel of "stack", "part" or a voice; value None gives it back to what it inherits."""

    kind: Literal["feel"]
    scope: Voice
    field: FeelField
    value: Finite | bool | Voice | None


@edit(description="{what} of {whose} {shown}")
def set_feel(context: EditContext, sent: SetFeel) -> Step:
    song = context.song
    own, template = own_with(context.session, song.values, sent.scope, sent.field, sent.value)
    shown = template.name if template else describe_value(own.get(sent.field))
    said = {"what": STORED[sent.field].short, "whose": scope_name(song.values, sent.scope), "shown": shown}
    return Step([feel_patch(song, {sent.scope: own})], felt=True, said=said)


class SetReach(Edit):
    """The voices the groove reaches; all of the part's: as it was by itself."""

    kind: Literal["reach"]
    voices: Voices


@edit(description="groove on {reached}")
def set_reach(context: EditContext, sent: SetReach) -> Step:
    song = context.song
    every = set(song.part.voices)
    wanted = {check_voice(voice) for voice in sent.voices} & every
    docs = {}
    for voice in song.part.voices:
        doc = {name: value for name, value in song.values.feel_doc_of(voice).items() if name != "groove_on"}
        docs[voice] = doc if wanted == every else {**doc, "groove_on": voice in wanted}
    names = ", ".join(voice_name(voice) for voice in song.part.voices if voice in wanted)
    reached = "every voice" if wanted == every else names or "no voice"
    return Step([feel_patch(song, docs)], said={"reached": reached})


class TightenRequest(Strict):
    """What is tightened to and how far; places: the chosen hits, none for all."""

    target: Literal["grid", "swing", "groove"]
    strength_percent: Finite
    leave_alone_ms: Finite = 0.0
    step_ticks: Tick
    swing_percent: Finite = 50.0
    swing_unit: int = Field(16, ge=1, le=64)
    template_id: int | None = Field(None, ge=0, le=2**31 - 1)
    places: Places = Field(default_factory=list)


def tighten_of(reader: Reads, song: LoadedSong, sent: TightenRequest) -> Tighten:
    template = find_template(reader, sent.template_id) if sent.template_id is not None else None
    return Tighten(
        target=sent.target,
        strength_percent=sent.strength_percent,
        leave_alone_ms=sent.leave_alone_ms,
        step_ticks=sent.step_ticks,
        swing_percent=sent.swing_percent,
        swing_unit=sent.swing_unit,
        template=template,
        groove_scales=bool(first_set((song.feel.stack, DEFAULTS), "groove_scales")),
        places=tuple(sent.places),
    )


class TightenHits(Edit, TightenRequest):
    kind: Literal["tighten"]


def _tightened(preparation: Preparation, sent: TightenHits) -> tuple[Tighten, Tightening]:
    wanted = tighten_of(preparation.reader, preparation.song.values, sent)
    return wanted, tightening(preparation.song.values, wanted)


@edit(description="tighten {count} hits to {goal} by {strength_percent:g} %", prepare=_tightened)
def tighten_hits(context: EditContext, sent: TightenHits) -> Step:
    wanted, done = context.prepared
    if not done.moved.any() or done.after.hits == context.song.pattern.hits:
        raise EditRefusedError("No hit moves by this: all of them lie there already, or are left alone.")
    goal = {"grid": "the grid", "swing": f"swing of {wanted.swing_percent:g} %"}.get(wanted.target)
    goal = goal or (wanted.template.name if wanted.template else "a groove")
    return Step(pattern=done.after, said={"count": int(done.moved.sum()), "goal": goal})


class WriteIn(Edit):
    """The feel becomes the hits: of the whole stack (nothing of the feel is left), or of one voice, whose feel is then
    set so that its hits stay. The part has the same hits as the stack as long as a song has one part."""

    kind: Literal["write_in"]
    scope: Voice


def _written_in(preparation: Preparation, sent: WriteIn) -> tuple[Pattern, Feel | None]:
    song, scope = preparation.song, sent.scope
    if scope in ("stack", "part"):
        return write_in(song.pattern, song.feel, song.values.tempo_bpm, FeelScopes(), song.pattern.arrays.voices), None
    neutral = song.feel.neutral(check_voice(scope))
    after = replace(song.feel, voices={**song.feel.voices, scope: neutral})
    return write_in(song.pattern, song.feel, song.values.tempo_bpm, after, (scope,)), neutral


@edit(description="write in {what}", prepare=_written_in)
def write_feel_in(context: EditContext, sent: WriteIn) -> Step:
    song = context.song
    written, neutral = context.prepared
    if neutral is None:
        patches: list[Patch] = [
            feel_patch(song, {"stack": {}}),
            field_patch("part", song.part, feel={}, voice_feel={}),
        ]
        return Step(patches, written, said={"what": "the whole feel"})
    patches = [feel_patch(song, {sent.scope: _settings(neutral)})]
    return Step(patches, written, said={"what": f"the feel of {scope_name(song.values, sent.scope)}"})


def _settings(feel: Feel) -> dict[str, object]:
    return {name: value for name, value in vars(feel).items() if value is not None and name != "template"}
