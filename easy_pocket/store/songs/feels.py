"""The feel of a song: its settings in words and as they are kept, and the song as it would be with others."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from easy_pocket.core.errors import BadValueError
from easy_pocket.core.feel.feel import STORED, Feel
from easy_pocket.core.feel.template import GrooveTemplate
from easy_pocket.core.feel.tighten import Tighten, Tightening, tighten
from easy_pocket.core.pattern.voices import ROLES, check_voice
from easy_pocket.store.database import Reads
from easy_pocket.store.grooves.templates import find_template
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.songs.cells import feel_of_doc
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.store.songs.song_rows import SongRows


def with_feel(loaded: LoadedSong, scope: str, field: str, value: float) -> LoadedSong:
    """The song as it would be with this number set; nothing is stored."""
    own = _with_field(loaded, scope, field, _value(field, value))
    return _with_scope(loaded, scope, feel_of_doc(own, loaded.templates))


def own_with(
    session: Reads, loaded: LoadedSong, scope: str, field: str, value: Any
) -> tuple[dict[str, object], GrooveTemplate | None]:
    """What a scope sets when this field is set too, and the groove if it is that; raises BadValueError."""
    if value is not None:
        value = _value(field, value)
    template = None
    if field == "template_id" and value is not None:  # the song's own may be somebody else's
        template = loaded.templates.get(value) or find_template(session, value)
    if field == "template_id" and value is not None and template is None:
        raise BadValueError("This groove template is gone: choose another.")
    return _with_field(loaded, scope, field, value), template


def _with_field(loaded: LoadedSong, scope: str, field: str, value: Any) -> dict[str, object]:
    own = {name: kept for name, kept in loaded.feel_doc_of(scope).items() if name != field}
    if value is not None:
        own[field] = value
    feel_of_doc(own, {})  # refuses what is out of range
    return own


def checked_feel(session: Reads, field: str, value: Any) -> Any:
    """A value of the feel as it is kept; raises BadValueError for what does not fit, or a groove that is gone."""
    value = _value(field, value)
    if field == "template_id" and find_template(session, value) is None:
        raise BadValueError("This groove template is gone: choose another.")
    return value


def _value(field: str, value: Any) -> Any:
    """As it is stored; raises BadValueError for a value of another kind. field: as it is stored."""
    setting = STORED[field]
    kind = type(setting.default) if setting.default is not None else int  # a groove is stored by its number
    if (kind is str) != isinstance(value, str):
        raise BadValueError(f"'{value}' does not fit {setting.short}: choose one of its values.")
    return value if kind in (str, float) else kind(value)


def describe_value(value: Any) -> str:
    if value is None:
        return "back to inherited"
    if isinstance(value, bool):
        return "on" if value else "off"
    return value if isinstance(value, str) else f"{value:g}"


def scope_name(loaded: LoadedSong, scope: str) -> str:
    return {"stack": "the stack", "part": loaded.part.name}.get(scope) or ROLES[scope].name.lower()


def feel_patch(song: SongRows, docs: dict[str, dict[str, object]]) -> Patch:
    """A patch of the docs of one scope, or of several voices."""
    if "stack" in docs:
        return field_patch("song", song.row, feel=docs["stack"])
    if "part" in docs:
        return field_patch("part", song.part, feel=docs["part"])
    return field_patch("part", song.part, voice_feel={**song.part.voice_feel, **docs})


def with_groove(loaded: LoadedSong, scope: str, template: GrooveTemplate | None) -> LoadedSong:
    """The song as it would be with this groove on a scope; nothing is stored."""
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
        parts = tuple(replace(part, feel=replace(part.feel, stack=own), is_preview=True) for part in parts)
    return replace(loaded, parts=parts, feel=feel)


def tightening(loaded: LoadedSong, wanted: Tighten) -> Tightening:
    """What tightening would do to the song as it is. Raises BadValueError and EditRefusedError."""
    return tighten(loaded.pattern, loaded.feel, loaded.tempo_bpm, wanted)
