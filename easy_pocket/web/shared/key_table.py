"""The notes of a song's voices, as a table in the Export menu."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from easy_pocket.core.pattern.voices import ROLES
from easy_pocket.core.sound.kit_edit import NOTE_NAMES
from easy_pocket.store.songs.loaded import LoadedSong
from easy_pocket.web.shared.dependencies import Song
from easy_pocket.web.shared.render import page

router = APIRouter()


@dataclass(frozen=True)
class KeyLine:
    """own: the song says so, not the kit. shared: other voices on the same note, in words."""

    voice: str
    name: str
    note: int
    own: bool
    shared: str

    @property
    def pitch(self) -> str:
        return f"{NOTE_NAMES[self.note % 12]}{self.note // 12 - 1}"


@router.get("/songs/{song_id}/keys")
def keys(request: Request, song: Song) -> Response:
    return page(request, "_keys.html", {"lines": key_lines(song)})


def key_lines(song: LoadedSong) -> list[KeyLine]:
    """Every voice of the song's kits once, in the order of the rails."""
    notes: dict[str, int] = {}
    for part in song.parts:
        notes = {**song.notes_of(part.kit_key), **notes}
    names = {voice: ROLES[voice].name for voice in ROLES if voice in notes}

    def others(voice: str) -> str:
        return ", ".join(name for other, name in names.items() if other != voice and notes[other] == notes[voice])

    return [KeyLine(voice, name, notes[voice], voice in song.key_map, others(voice)) for voice, name in names.items()]
