"""What the header of a song's page shows."""

from __future__ import annotations

from easy_pocket.store.songs.loaded import LoadedSong


def header_doc(song: LoadedSong, undo: str | None, redo: str | None) -> dict[str, object]:
    return {
        "id": song.id,
        "revision": song.revision,
        "name": song.name,
        "tempo_bpm": song.base_tempo_bpm,
        "metre": str(song.metre),
        "at": [song.part.id, song.pattern_id, song.section_id],
        "undo": undo,
        "redo": redo,
    }
