"""Parts brought in from a MIDI file."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import SkipValidation

from easy_pocket.core.formats.song_midi import ReadSong
from easy_pocket.core.pattern.pattern import Pattern
from easy_pocket.core.text import counted
from easy_pocket.store.history.undo_log import Patch, field_patch
from easy_pocket.store.kits.kits import load_kit
from easy_pocket.store.songs.create import check_name
from easy_pocket.store.songs.edits.fields import KitKey, Name
from easy_pocket.store.songs.edits.registry import EditContext, FileEdit, Step, edit
from easy_pocket.store.songs.midi_import import played_on
from easy_pocket.store.songs.part_rows import free_name, in_kit_order, new_part, new_pattern


class BringInParts(FileEdit):
    """A part for every track of a file, or for every voice, as it was read; each plays in all sections. The song keeps
    its tempo."""

    kind: Literal["parts_bring"] = "parts_bring"
    read: Annotated[ReadSong, SkipValidation]
    file: Name
    kit_key: KitKey


@edit(description=lambda song, sent: f"{counted(len(sent.read.parts), 'part')} from {sent.file}", by_file=True)
def bring_in_parts(context: EditContext, sent: BringInParts) -> Step:
    song, session = context.song, context.session
    kit = load_kit(session, sent.kit_key)
    bar = song.metre.bar_ticks
    patches: list[Patch] = []
    taken = {part.row.name for part in song.parts}
    own = [one for one in song.resolved if one.parent is None]
    cells: dict[int, dict[str, object]] = {one.row.id: dict(one.row.cells) for one in own}
    for number, part in enumerate(sent.read.parts):
        hits = played_on(part.hits, kit)
        length = (max(hit.tick for hit in hits) // bar + 1) * bar
        title = free_name(check_name(part.name), taken)
        taken.add(title)
        values = {"name": title, "kit_key": kit.key, "voices": in_kit_order({hit.voice for hit in hits})}
        row, some = new_part(session, song, len(song.parts) + number, **values)
        row.player += number
        made, patch = new_pattern(session, row.id, "A", Pattern(length, hits, song.metre))
        patches += [*some, patch]
        for one in own:
            cells[one.row.id][str(row.id)] = {"pattern": made.id}
    patches += [field_patch("section", one.row, cells=cells[one.row.id]) for one in own]
    return Step(patches, long=True)
