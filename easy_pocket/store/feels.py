"""The feel of a song: one setting, which voices a groove reaches, tightening, and writing it in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.feel import Feel, FeelScopes
from easy_pocket.core.template import GrooveTemplate
from easy_pocket.core.tighten import Tighten, Tightening, tighten, write_in
from easy_pocket.core.voices import ROLES, check_voice
from easy_pocket.store.cells import feel_of_doc
from easy_pocket.store.changes import Patch, field_patch
from easy_pocket.store.keep import begin, finish, keep_pattern
from easy_pocket.store.songs import LoadedSong

FEEL_WORDS = {
    "swing_percent": "swing",
    "swing_unit": "swing unit",
    "short_note_ms": "shortest short note",
    "template_id": "groove",
    "timing_pull": "timing pull",
    "accent_pull": "accent pull",
    "groove_scales": "groove follows tempo",
    "groove_on": "reach of the groove",
    "groove_lane": "lane of the groove",
    "push_ms": "push",
    "drift_ms": "drift",
    "jitter_ms": "jitter",
    "touch": "touch",
    "seed": "seed",
    "runs_on": "looseness runs on",
    "ghost_percent": "level of ghosts",
    "depth_percent": "accent depth",
    "weaker_hand": "weaker hand",
    "density_percent": "density",
}
WHOLE = ("swing_unit", "template_id", "seed")
SWITCHES = ("groove_scales", "groove_on", "runs_on", "weaker_hand")


def set_feel(
    session: Session, song_id: int, revision: int, scope: str, field: str, value: Any, gesture: str | None = None
) -> LoadedSong:
    """Set a feel field of "stack", "part" or a voice; None gives it back to what it inherits."""
    loaded = begin(session, song_id, revision)
    own, template = _own_with(loaded, scope, field, value)
    shown = template.name if template else value_words(own.get(field))
    words = f"{FEEL_WORDS[field]} of {_whose(loaded, scope)} {shown}"
    return replace(finish(session, loaded, words, [_patch(loaded, {scope: own})], gesture), just_felt=True)


def with_feel(loaded: LoadedSong, scope: str, field: str, value: float) -> LoadedSong:
    """The song as it would be with this field set; nothing is kept."""
    own, _ = _own_with(loaded, scope, field, value)
    return _with_scope(loaded, scope, feel_of_doc(own, loaded.templates))


def _own_with(loaded: LoadedSong, scope: str, field: str, value: Any) -> tuple[dict[str, Any], GrooveTemplate | None]:
    """What a scope sets when this field is set too, and the groove if it is that; raises BadValueError."""
    if value is not None:
        value = _value(field, value)
    template = loaded.groove_of(value) if field == "template_id" and value is not None else None
    if field == "template_id" and value is not None and template is None:
        raise BadValueError("This groove template is gone: choose another.")
    own = dict(_doc(loaded, scope))
    own.pop(field, None)
    if value is not None:
        own[field] = value
    feel_of_doc(own, {})  # refuses what is out of range
    return own, template


def checked_feel(loaded: LoadedSong, field: str, value: Any) -> Any:
    """A value of the feel as it is kept; raises BadValueError for what does not fit, or a groove that is gone."""
    value = _value(field, value)
    if field == "template_id" and loaded.groove_of(value) is None:
        raise BadValueError("This groove template is gone: choose another.")
    return value


def _value(field: str, value: Any) -> Any:
    if (field == "groove_lane") != isinstance(value, str):
        raise BadValueError(f"'{value}' does not fit {FEEL_WORDS[field]}: choose one of its values.")
    if field in SWITCHES:
        return bool(value)
    return int(value) if field in WHOLE else value


def value_words(value: Any) -> str:
    if value is None:
        return "back to inherited"
    if isinstance(value, bool):
        return "on" if value else "off"
    return value if isinstance(value, str) else f"{value:g}"


def _whose(loaded: LoadedSong, scope: str) -> str:
    return {"stack": "the stack", "part": loaded.part.name}.get(scope) or ROLES[scope].name.lower()


def _doc(loaded: LoadedSong, scope: str) -> dict[str, Any]:
    if scope == "stack":
        return loaded.row.feel
    if scope == "part":
        return loaded.part.feel
    return dict(loaded.part.voice_feel.get(check_voice(scope), {}))


def _patch(loaded: LoadedSong, docs: dict[str, dict[str, Any]]) -> Patch:
    """A patch of the docs of one scope, or of several voices."""
    if "stack" in docs:
        return field_patch("song", loaded.row, feel=docs["stack"])
    if "part" in docs:
        return field_patch("part", loaded.part, feel=docs["part"])
    return field_patch("part", loaded.part, voice_feel={**loaded.part.voice_feel, **docs})


def set_reach(session: Session, song_id: int, revision: int, voices: tuple[str, ...]) -> LoadedSong:
    """Let the groove reach exactly these voices of the part; all of them: as it was by itself."""
    loaded = begin(session, song_id, revision)
    wanted = {check_voice(voice) for voice in voices} & set(loaded.part.voices)
    docs = {}
    for voice in loaded.part.voices:
        doc = {name: value for name, value in _doc(loaded, voice).items() if name != "groove_on"}
        docs[voice] = doc if wanted == set(loaded.part.voices) else {**doc, "groove_on": voice in wanted}
    names = ", ".join(ROLES[voice].name.lower() for voice in loaded.part.voices if voice in wanted)
    everyone = wanted == set(loaded.part.voices)
    words = f"groove on {'every voice' if everyone else names or 'no voice'}"
    return finish(session, loaded, words, [_patch(loaded, docs)], None)


def with_groove(loaded: LoadedSong, scope: str, template: GrooveTemplate | None) -> LoadedSong:
    """The song as it would be with this groove on a scope; nothing is kept."""
    feel = loaded.feel
    own = {"stack": feel.stack, "part": feel.part}.get(scope) or feel.voices.get(check_voice(scope), Feel())
    return _with_scope(loaded, scope, replace(own, template=template))


def _with_scope(loaded: LoadedSong, scope: str, own: Feel) -> LoadedSong:
    feel = loaded.feel
    if scope == "stack":
        feel = replace(feel, stack=own)
    elif scope == "part":
        feel = replace(feel, part=own)
    else:
        feel = replace(feel, voices={**feel.voices, check_voice(scope): own})
    parts = loaded.parts
    if scope == "stack":
        parts = tuple(replace(part, feel=replace(part.feel, stack=own), tried=True) for part in parts)
    return replace(loaded, parts=parts, feel=feel, performances={})


def tightening(loaded: LoadedSong, wanted: Tighten) -> Tightening:
    """What tightening would do to the song as it is. Raises BadValueError and EditRefusedError."""
    return tighten(loaded.pattern, loaded.feel, loaded.tempo_bpm, wanted)


def tighten_hits(
    session: Session, song_id: int, revision: int, wanted_of: Callable[[LoadedSong], Tighten]
) -> LoadedSong:
    """Tighten as `wanted_of` says for the song as it is then."""
    loaded = begin(session, song_id, revision)
    wanted = wanted_of(loaded)
    done = tightening(loaded, wanted)
    if not done.moved.any() or done.after.hits == loaded.pattern.hits:
        raise EditRefusedError("No hit moves by this: all of them lie there already, or are left alone.")
    to = {"grid": "the grid", "swing": f"swing of {wanted.swing_percent:g} %"}.get(wanted.target)
    target = to or (wanted.template.name if wanted.template else "a groove")
    words = f"tighten {int(done.moved.sum())} hits to {target} by {wanted.strength_percent:g} %"
    return keep_pattern(session, loaded, done.after, words)


def write_feel_in(session: Session, song_id: int, revision: int, scope: str) -> LoadedSong:
    """The feel becomes the hits: of the whole stack (nothing of the feel is left), or of one voice, whose feel is then
    set so that its hits stay. The part has the same hits as the stack as long as a song has one part."""
    loaded = begin(session, song_id, revision)
    if scope in ("stack", "part"):
        voices, after = loaded.pattern.arrays.voices, FeelScopes()
        patches: tuple[Patch, ...] = (
            _patch(loaded, {"stack": {}}),
            field_patch("part", loaded.part, feel={}, voice_feel={}),
        )
    else:
        voices = (check_voice(scope),)
        neutral = loaded.feel.neutral(scope)
        after = replace(loaded.feel, voices={**loaded.feel.voices, scope: neutral})
        patches = (_patch(loaded, {scope: _settings(neutral)}),)
    written = write_in(loaded.pattern, loaded.feel, loaded.tempo_bpm, after, voices)
    whose = "the whole feel" if scope in ("stack", "part") else f"the feel of {_whose(loaded, scope)}"
    return replace(keep_pattern(session, loaded, written, f"write in {whose}", patches=patches), feel=after)


def _settings(feel: Feel) -> dict[str, Any]:
    return {name: value for name, value in vars(feel).items() if value is not None and name != "template"}
