"""Edits of the loops that play under a song: put there, set, taken away, in which sections they play."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from easy_pocket.core.errors import BadValueError, EditRefusedError
from easy_pocket.core.listen.layered_loop import PLAIN, layer_settings_from_doc
from easy_pocket.store.grooves.templates import find_template, groove_names
from easy_pocket.store.history.undo_log import field_patch
from easy_pocket.store.loops.layered_loop_rows import layered_loop_docs_of, sections_of
from easy_pocket.store.loops.loops import get_loop
from easy_pocket.store.songs.edits.fields import Finite, Id
from easy_pocket.store.songs.edits.registry import Edit, EditContext, Step, edit

MOST_LAYERS = 8
LAYER_WORDS = {
    "how": "how it is set",
    "speed": "speed",
    "pitch_semitones": "pitch",
    "level_db": "level",
    "low_cut_hz": "low cut",
    "muted": "mute",
    "from_bar": "first bar",
    "to_bar": "last bar",
    "section_id": "section",
    "cycle_ticks": "length of a turn",
    "start_ticks": "start",
    "to": "what it goes to",
    "strength_percent": "strength",
    "template_id": "groove it goes to",
    "duck_voice": "voices it makes room for",
    "duck_db": "depth of the room",
    "duck_hold_ms": "hold of the room",
    "duck_release_ms": "release of the room",
}


class LayerLoop(Edit):
    """The loop plays under the stack, as it is by itself; or (there: False) no longer."""

    kind: Literal["layered_loop"]
    loop_id: Id
    there: bool


@edit(description="{name} {done} under the stack")
def layer_loop(context: EditContext, sent: LayerLoop) -> Step:
    song = context.song
    row, docs = get_loop(context.session, song.row.id, sent.loop_id), layered_loop_docs_of(song.row)
    if not sent.there:
        after = [doc for doc in docs if doc["loop_id"] != sent.loop_id]
        return Step([field_patch("song", song.row, layered_loops=after)], said={"name": row.name, "done": "no longer"})
    if any(doc["loop_id"] == sent.loop_id for doc in docs):
        raise EditRefusedError(f"{row.name} plays under the stack already.")
    if len(docs) >= MOST_LAYERS:
        raise EditRefusedError(f"{MOST_LAYERS} loops play under the stack, the most there can be: take one away first.")
    after = [*docs, {"loop_id": sent.loop_id}]
    return Step([field_patch("song", song.row, layered_loops=after)], said={"name": row.name, "done": "plays"})


class SetLayer(Edit):
    """Set one thing of how a loop plays under the stack; what is out of range is refused."""

    kind: Literal["layered_loop_set"]
    loop_id: Id
    field: Literal[
        "how", "speed", "pitch_semitones", "level_db", "low_cut_hz", "muted", "from_bar", "to_bar", "section_id",
        "cycle_ticks", "start_ticks", "to", "strength_percent", "template_id", "duck_voice",
        "duck_db", "duck_hold_ms", "duck_release_ms",
    ]  # fmt: skip
    value: Finite | bool | Annotated[str, Field(max_length=400, pattern=r"^[a-z_0-9,]*$")] | None


@edit(description="{what} of {name} {shown}")
def set_layer(context: EditContext, sent: SetLayer) -> Step:
    song, session, field, value = context.song, context.session, sent.field, sent.value
    docs = layered_loop_docs_of(song.row)
    doc = next((doc for doc in docs if doc["loop_id"] == sent.loop_id), None)
    if doc is None:
        raise EditRefusedError("This loop does not play under the stack: put it there first.")
    if field == "section_id":
        if value is not None and all(row.id != value for row in song.sections):
            raise BadValueError("This section is gone: choose another.")
        changed = {**doc, "section_id": None, "section_ids": [] if value is None else [_number(field, value)]}
    elif field == "template_id":
        if value is not None and find_template(session, _number(field, value)) is None:
            raise BadValueError("This groove template is gone: choose another.")
        changed = {**doc, "template_id": None if value is None else _number(field, value)}
    else:
        changed = {**doc, field: _of_kind(field, value)}
    if changed.get("to") == "groove" and not changed.get("template_id"):
        part, stack = (own.get("template_id") for own in (song.part.feel, song.row.feel))
        changed["template_id"] = part or stack or next((key for key, _ in groove_names(session)), None)
    layer_settings_from_doc(changed)  # refuses what is out of range
    after = [changed if one is doc else one for one in docs]
    named = next((row.name for row in song.sections if field == "section_id" and row.id == value), None)
    name = get_loop(session, song.row.id, sent.loop_id).name
    said = {"what": LAYER_WORDS[field], "name": name, "shown": named or _shown(value)}
    return Step([field_patch("song", song.row, layered_loops=after)], said=said)


def _number(field: str, value: Any) -> int:
    if isinstance(value, bool | str):
        raise BadValueError(f"'{value}' does not fit {LAYER_WORDS[field]}: choose one of its values.")
    return int(value)


def _of_kind(field: str, value: Any) -> Any:
    """The value as its setting has it: a word, a switch, a whole number or a number."""
    plain = getattr(PLAIN, field)
    if value is None or isinstance(plain, str) != isinstance(value, str):
        raise BadValueError(f"'{value}' does not fit {LAYER_WORDS[field]}: choose one of its values.")
    return value if isinstance(plain, str) else type(plain)(value)


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    return str(value or "none") if value is None or isinstance(value, str) else f"{value:g}"


class SetLayerSection(Edit):
    """Whether a loop plays in a section. One that went by its bars plays in all sections before."""

    kind: Literal["layered_loop_cell"]
    loop_id: Id
    section_id: Id
    there: bool


@edit(description="{name} {done} in {section}")
def set_layer_section(context: EditContext, sent: SetLayerSection) -> Step:
    song = context.song
    docs = layered_loop_docs_of(song.row)
    doc = next((doc for doc in docs if doc["loop_id"] == sent.loop_id), None)
    section = next((one.row for one in song.resolved if one.row.id == sent.section_id), None)
    if doc is None or section is None:
        raise EditRefusedError("This loop or section is gone: look at the song as it is now.")
    everywhere = [one.row.id for one in song.resolved]
    ids = [one for one in sections_of(doc) or everywhere if one != sent.section_id and one in everywhere]
    ids = [one for one in everywhere if one in ids or (sent.there and one == sent.section_id)]
    changed = {**doc, "section_id": None, "section_ids": ids, "muted": not ids}
    after = [changed if one is doc else one for one in docs]
    name = get_loop(context.session, song.row.id, sent.loop_id).name
    said = {"name": name, "done": "plays" if sent.there else "rests", "section": section.name}
    return Step([field_patch("song", song.row, layered_loops=after)], said=said)
