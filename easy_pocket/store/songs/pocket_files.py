"""A song as a file, and a file as a song: its rows with other numbers, and the kits, grooves and audio they name."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from easy_pocket.core.errors import BadValueError, PocketError, require_range
from easy_pocket.core.formats.pocket_file import Doc, SongContents
from easy_pocket.core.pattern.timebase import MAX_BARS
from easy_pocket.core.song.perform_song import perform_song
from easy_pocket.core.song.section import MAX_REPEATS
from easy_pocket.store.grooves.templates import find_template
from easy_pocket.store.kits.kits import add_kit, kit_from_row
from easy_pocket.store.loops.layered_loop_rows import moved_layer
from easy_pocket.store.loops.loops import analysis_from_doc, corrections_from_doc, loops_of
from easy_pocket.store.schema.tables import (
    AudioRow,
    IdeaRow,
    KitRow,
    LoopRow,
    PartRow,
    PassRow,
    PatternRow,
    SectionRow,
    SnapshotRow,
    SongRow,
    TakeRow,
    TemplateRow,
    row_values,
)
from easy_pocket.store.songs.create import MAX_NAME, check_name
from easy_pocket.store.songs.duplicate import moved_cell, moved_double, moved_join
from easy_pocket.store.songs.guide import guide_of
from easy_pocket.store.songs.kept_ideas import check_kept_idea
from easy_pocket.store.songs.load import load_song
from easy_pocket.store.songs.stage_doc import moved_stage, stage_of
from easy_pocket.store.takes.takes import load_take, passes_of, takes_of

Ids = dict[str, dict[Any, Any]]
ROWS: dict[str, Any] = {
    "parts": PartRow, "patterns": PatternRow, "snapshots": SnapshotRow, "sections": SectionRow, "loops": LoopRow,
    "takes": TakeRow, "passes": PassRow, "ideas": IdeaRow,
}  # fmt: skip
AS_TEXT = {"patterns": "hits", "snapshots": "hits", "passes": "hits", "ideas": "doc"}  # kept as text that is JSON
OF = {
    "patterns": ("part_id", "parts"), "snapshots": ("pattern_id", "patterns"), "passes": ("take_id", "takes"),
    "ideas": ("pattern_id", "patterns"),
}  # fmt: skip
IDEA_STATES = ("pinned", "taken")  # those that were dropped stay where they are
PLAIN_TEXT: dict[str, Any] = {"separators": (",", ":")}
TEXT_OF: dict[str, dict[str, Any]] = {"ideas": {"sort_keys": True}}  # as they are compared, see ideas/log.py
NOT_KEPT = {"removed", "song_id", "revision", "sections_before_flatten"}
# What reading rows from outside raises when they are not what they should be.
BROKEN = (SQLAlchemyError, LookupError, TypeError, ValueError, ArithmeticError, AttributeError, RecursionError)
NOT_A_SONG = "{name} does not hold a song as Easy Pocket writes it: save it again where it came from."


def song_contents(session: Session, song_id: int) -> SongContents:
    """Everything the song needs, numbered from 1."""
    song = load_song(session, song_id)
    rows: dict[str, list[Any]] = {
        "parts": [part.row for part in song.parts],
        "patterns": [pattern for part in song.parts for pattern in part.patterns],
        "sections": list(song.sections),
        "loops": loops_of(session, song_id),
        "takes": takes_of(session, song_id)[::-1],
    }
    rows["passes"] = [one for take in rows["takes"] for one in passes_of(session, take)]
    patterns = [pattern.id for pattern in rows["patterns"]]
    asked = select(SnapshotRow).where(SnapshotRow.pattern_id.in_(patterns), SnapshotRow.removed.is_(False))
    rows["snapshots"] = list(session.scalars(asked.order_by(SnapshotRow.id)))
    kept = IdeaRow.pattern_id.in_(patterns), IdeaRow.song_id == song_id, IdeaRow.state.in_(IDEA_STATES)
    rows["ideas"] = list(session.scalars(select(IdeaRow).where(*kept).order_by(IdeaRow.id)))
    doc: Doc = {"song": _values(song.row), **{table: [_row_doc(table, row) for row in rows[table]] for table in ROWS}}
    kits = list(dict.fromkeys(part.kit_key for part in rows["parts"]))
    doc["kits"] = [_kit_doc(session.get_one(KitRow, key)) for key in kits]
    grooves = sorted({key for key in _found(doc, "template_id") if key})
    known = [(key, row) for key in grooves if (row := session.get(TemplateRow, key)) is not None]
    doc["grooves"] = [{"id": key, "name": row.name, "doc": row.doc} for key, row in known]
    ids: Ids = {
        table: {row["id"]: number for number, row in enumerate(doc[table], 1)} for table in doc if table != "song"
    }
    doc = moved(doc, ids)
    audio = session.scalars(select(AudioRow).where(AudioRow.hash.in_(sorted(recordings_of(doc)))))
    return SongContents(doc, {row.hash: (row.kind, row.data) for row in audio})


def recordings_of(doc: Doc) -> set[str]:
    """Content hashes of all audio the rows name."""
    named = {row["audio_hash"] for row in doc["loops"]} | set(_found(doc["kits"], "audio"))
    guide = guide_of(doc["song"]["guide"])
    return {one for one in (named | {guide.audio_hash} if guide else named) if one}


def _values(row: Any) -> Doc:
    return {name: value for name, value in row_values(row).items() if name not in NOT_KEPT}


def _row_doc(table: str, row: Any) -> Doc:
    values = {"id": row.id, **_values(row)}
    if table in AS_TEXT:
        values[AS_TEXT[table]] = json.loads(values[AS_TEXT[table]])
    return values


def _kit_doc(row: KitRow) -> Doc:
    return {"id": row.key, "name": row.name, "voices": row.voices, "key_note": row.key_note}


def _found(value: Any, name: str) -> Iterator[Any]:
    """Every value under a name, however deep."""
    if isinstance(value, dict):
        for key, one in value.items():
            if key == name and not isinstance(one, (dict, list)):
                yield one
            else:
                yield from _found(one, name)
    elif isinstance(value, list):
        for one in value:
            yield from _found(one, name)


def _with_grooves(value: Any, grooves: Mapping[Any, Any]) -> Any:
    """With other numbers of grooves; those there are none of are left out."""
    if isinstance(value, dict):
        return {
            key: grooves.get(one) if key == "template_id" and one is not None else _with_grooves(one, grooves)
            for key, one in value.items()
        }
    return [_with_grooves(one, grooves) for one in value] if isinstance(value, list) else value


def moved(doc: Doc, ids: Ids) -> Doc:
    """All rows with other numbers, and all that names them."""
    parts, patterns, sections, loops = ids["parts"], ids["patterns"], ids["sections"], ids["loops"]
    doc = _with_grooves(doc, ids["grooves"])
    found: Doc = {
        table: [{**row, "id": ids[table][row["id"]]} for row in doc[table]] for table in doc if table != "song"
    }
    for table, (field, other) in OF.items():
        for row in found[table]:
            row[field] = ids[other][row[field]]
    song = dict(doc["song"])
    song["layered_loops"] = [moved_layer(one, loops, sections) for one in song["layered_loops"] or ()]
    song["collision_choices"] = {
        key: choice for old, choice in (song["collision_choices"] or {}).items() if (key := moved_double(old, parts))
    }
    song["stage"] = moved_stage(song["stage"], parts, loops, sections)
    for row in found["parts"]:
        row["kit_key"] = ids["kits"][row["kit_key"]]
        row["pattern_order"] = [patterns[key] for key in row["pattern_order"] or () if key in patterns]
    for row in found["sections"]:
        cells = {
            str(parts[int(key)]): moved_cell(one, patterns) for key, one in row["cells"].items() if int(key) in parts
        }
        joins = [moved_join(join, parts, patterns) for join in row["joins"] or ()]
        row.update(cells=cells, joins=joins, parent_id=sections.get(row["parent_id"]))
    for row in found["takes"]:
        settings = {**row["settings"]}
        if settings.pop("section_id", 0) in sections:
            settings["section_id"] = sections[row["settings"]["section_id"]]
        sews = [[bar, ids["passes"][key], voice] for bar, key, voice in row["sews"] if key in ids["passes"]]
        row.update(part_id=parts.get(row["part_id"], 0), settings=settings, sews=sews)
    return {"song": song, **found}


def song_from_contents(session: Session, contents: SongContents, file_name: str, name: str = "") -> SongRow:
    """A new song of a file; kits and grooves that are here by content are used, nothing here is changed.

    Raises BadValueError for rows that are no song, in words that name the file.
    """
    try:
        with session.begin_nested():
            row = _opened(session, contents, name)
            session.flush()
            _try_out(session, row.id)
    except (
        SQLAlchemyError,
        LookupError,
        TypeError,
        ValueError,
        ArithmeticError,
        AttributeError,
        RecursionError,
    ) as error:
        raise BadValueError(NOT_A_SONG.format(name=file_name)) from error
    except PocketError as error:
        raise BadValueError(f"{NOT_A_SONG.format(name=file_name)} ({error})") from error
    return row


def _opened(session: Session, contents: SongContents, name: str) -> SongRow:
    doc = contents.doc
    named = recordings_of(doc)
    asked = select(AudioRow.hash).where(AudioRow.hash.in_([*contents.audio, *named]))
    known = set(session.scalars(asked.with_for_update(read=True)))  # held against being cleaned away
    if missing := named - known - set(contents.audio):
        raise BadValueError(f"the audio {min(missing)[:12]} is not in it")
    for key, (kind, data) in contents.audio.items():
        if key not in known:
            session.add(AudioRow(hash=key, kind=kind, data=data))
    session.flush()
    song = SongRow(**{**_known(SongRow, doc["song"]), "revision": 1, "layered_loops": None, "stage": None})
    song.name = check_name(name or str(doc["song"]["name"])[:MAX_NAME])
    song.collision_choices = None
    session.add(song)
    session.flush()
    ids: Ids = {"kits": _kits(session, doc["kits"]), "grooves": _grooves(session, doc["grooves"])}
    made: dict[str, list[Any]] = {}
    for table, kind in ROWS.items():
        ids[table], made[table] = {}, []
        for values in doc[table]:
            row = kind(**_known(kind, values))
            if table in AS_TEXT:
                kept = values[AS_TEXT[table]]
                setattr(row, AS_TEXT[table], json.dumps(kept, **TEXT_OF.get(table, PLAIN_TEXT)))
            if hasattr(kind, "song_id"):
                row.song_id = song.id
            if table == "parts":
                row.kit_key = ids["kits"][values["kit_key"]]
            if table in OF:
                field, other = OF[table]
                setattr(row, field, ids[other][values[field]])
            session.add(row)
            session.flush()
            ids[table][values["id"]] = row.id
            made[table].append(row)
    after = moved(doc, ids)
    for name_of in ("layered_loops", "collision_choices", "stage", "feel"):
        setattr(song, name_of, after["song"][name_of])
    for table, fields in {
        "parts": ("pattern_order", "feel", "voice_feel"), "sections": ("cells", "joins", "parent_id"),
        "takes": ("part_id", "settings", "sews"),
    }.items():  # fmt: skip
        for row, values in zip(made[table], after[table], strict=True):
            for field in fields:
                setattr(row, field, values[field])
    return song


def _known(kind: Any, values: Doc) -> Doc:
    """What the table has columns for."""
    columns = {column.key for column in kind.__table__.columns} - {"id"} - NOT_KEPT
    return {key: value for key, value in values.items() if key in columns}


def _kits(session: Session, docs: list[Doc]) -> dict[Any, str]:
    there = list(session.scalars(select(KitRow)))
    found = {}
    for doc in docs:
        same = next((one for one in there if one.voices == doc["voices"] and one.key_note == doc["key_note"]), None)
        if same is None:
            values = {"name": check_name(doc["name"]), "voices": doc["voices"], "key_note": doc["key_note"]}
            kit = kit_from_row(KitRow(key="from-a-file", **values))
            same = add_kit(session, kit)
        found[doc["id"]] = same.key
    return found


def _grooves(session: Session, docs: list[Doc]) -> dict[Any, int]:
    there = list(session.scalars(select(TemplateRow).where(TemplateRow.removed.is_(False))))
    found = {}
    for doc in docs:
        same = next((one for one in there if one.doc == doc["doc"]), None)
        if same is None:
            same = TemplateRow(name=check_name(doc["name"])[:120], doc=doc["doc"])
            session.add(same)
            session.flush()
            find_template(session, same.id)
        found[doc["id"]] = same.id
    return found


def _try_out(session: Session, song_id: int) -> None:
    """Whether it can be played and looked at. Raises what reading it raises."""
    session.expire_all()
    song = load_song(session, song_id)
    for section in song.sections:
        require_range("The bars of a section", section.bars, 1, MAX_BARS)
        require_range("The repeats of a section", section.repeats, 1, MAX_REPEATS)
    perform_song(song.values.arrangement)
    for loop in loops_of(session, song_id):
        analysis_from_doc(loop.found)
        corrections_from_doc(loop.overruled)
    for take in takes_of(session, song_id):
        load_take(session, take)
    for idea in session.scalars(select(IdeaRow).where(IdeaRow.song_id == song_id)):
        if idea.state not in IDEA_STATES:
            raise ValueError(idea.state)
        check_kept_idea(idea.doc)
    guide_of(song.row.guide)
    stage_of(song.row.stage)
