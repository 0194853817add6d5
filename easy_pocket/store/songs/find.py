"""Parts and sections of a song by their ids, as an edit names them."""

from __future__ import annotations

from easy_pocket.core.errors import EditRefusedError
from easy_pocket.store.songs.cells import Resolved
from easy_pocket.store.songs.song_rows import PartOfRows, SongRows


def find_part(song: SongRows, part_id: int) -> PartOfRows:
    found = next((part for part in song.parts if part.row.id == part_id), None)
    if found is None:
        raise EditRefusedError("This part is gone: look at the parts as they are now.")
    return found


def find_section(song: SongRows, section_id: int) -> Resolved:
    found = next((one for one in song.resolved if one.row.id == section_id), None)
    if found is None:
        raise EditRefusedError("This section is gone: look at the sections as they are now.")
    return found
